using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Homes in the account database, changed by the system's own command, which keeps everybody else out of the database
/// meanwhile and refuses an account that is at work.
/// </summary>
internal sealed class HomePointers(LinuxVolumes volumes) : IPointers
{
    internal const string Kind = "account-database";
    private const string Type = "path",
        Command = "/usr/sbin/usermod",
        Field = "home";

    /// <summary>The address of an account's home.</summary>
    internal static PointerAddress Address(PasswdEntry account) => new(Kind, "/etc/passwd", Field, account.Name);

    public PointerValue Read(PointerAddress address) =>
        address.Key == Field && Passwd.HomeOf(volumes.Root, address.Account) is { } home
            ? new PointerValue(Type, home)
            : throw new Fault(FaultKinds.AccountMissing, $"There is no account {address.Account} on the machine.", "");

    public string? Leads(PointerAddress address, PointerValue value) =>
        value.Text is ['/', _, ..] text ? text.TrimEnd('/') : null;

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        volumes.Show(place) is ['/', ..] shown
            ? new PointerValue(Type, shown)
            : throw Faults.VolumeAbsent(place.Volume);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        var found = Read(address);
        if (found != expected)
            throw Faults.PointerChanged(address, expected, found);
        if (next.Text is not ['/', ..] text || text.Contains(':') || text.Contains('\n'))
            throw new Fault(
                FaultKinds.PathRefused,
                $"`{PathText.Show(next.Text ?? "")}` cannot be a home in the account database.",
                "Correct the path in the brief."
            );
        var (_, why) = Commands.Inside(volumes.Root, [Command, "--home", text, address.Account]);
        if (why is not null && Read(address) != next)
            throw new Fault(
                FaultKinds.AccountCommandFailed,
                $"The system's command that changes the home of {address.Account} {why}.",
                "Look at the system's error message."
            );
        if (Read(address) is var now && now != next)
            throw Faults.PointerChanged(address, next, now);
        using var folder = volumes.TryOpenFolder("/etc")
            ?? throw new IoFault(IoReason.NotFound, "/etc", "no such folder");
        using (var file = folder.OpenFile("passwd"))
            file.Flush();
        folder.Flush();
    }
}
