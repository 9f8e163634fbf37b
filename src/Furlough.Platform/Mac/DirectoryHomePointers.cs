using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Linux;

namespace Furlough.Platform.Mac;

/// <summary>
/// Homes in the system's directory service, through its own command, which replaces a value only if it is the one that
/// it is given.
/// </summary>
internal sealed class DirectoryHomePointers(ICommands commands, IVolumes volumes) : IPointers
{
    internal const string Kind = "account-directory";
    private const string Command = "/usr/bin/dscl",
        Local = ".",
        Attribute = "NFSHomeDirectory",
        Type = "path",
        Field = "home";

    /// <summary>The address of an account's home.</summary>
    internal static PointerAddress Address(string account) => new(Kind, "the directory service", Field, account);

    public PointerValue Read(PointerAddress address)
    {
        var record = RecordOf(address);
        var answer = commands.Run("", [Command, "-plist", Local, "-read", record, Attribute]);
        if (answer.Exit != 0)
            throw new Fault(
                FaultKinds.AccountMissing,
                $"The directory service does not tell the home of {address.Account}: {PathText.Show(answer.Error.Trim())}",
                ""
            );
        var found = PropertyList.Find(answer.Output, $"dsAttrTypeStandard:{Attribute}", address.ToString());
        return found?.Elements("string").Select(s => s.Value).ToList() is [var home]
            ? new PointerValue(Type, home)
            : throw new Fault(
                FaultKinds.SettingsNotUnderstood,
                $"The directory service names no single home of {address.Account}.",
                "Look at the account manually; nothing was changed."
            );
    }

    public string? Leads(PointerAddress address, PointerValue value) => SettingPlace.Led(address, value.Text);

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        new(Type, SettingPlace.Spelled(volumes, address, place));

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        var found = Read(address);
        if (found != expected || expected.Text is not { } former)
            throw Faults.PointerChanged(address, expected, found);
        if (next == expected)
            return;
        if (next.Text is not ['/', ..] text)
            throw new Fault(
                FaultKinds.PathRefused,
                $"`{PathText.Show(next.Text ?? "")}` cannot be a home in the directory service.",
                "Correct the path in the brief."
            );
        var answer = commands.Run("", [Command, Local, "-change", RecordOf(address), Attribute, former, text]);
        var now = Read(address);
        if (now == next)
            return;
        if (now != expected)
            throw Faults.PointerChanged(address, expected, now);
        throw new Fault(
            FaultKinds.AccountCommandFailed,
            $"The directory service's command did not change the home of {address.Account}: {PathText.Show(answer.Error.Trim())}",
            "Look at the system's error message."
        );
    }

    private static string RecordOf(PointerAddress address) =>
        address.Key == Field && address.Account is { Length: > 0 } account && !account.Contains('/')
            ? $"/Users/{account}"
            : throw new Fault(
                FaultKinds.AccountMissing,
                $"There is no account `{PathText.Show(address.Account)}` on the machine.",
                ""
            );
}
