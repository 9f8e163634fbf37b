using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Linux;

namespace Furlough.Platform.Mac;

/// <summary>
/// Pointers that are one text among a program's preferences, read and written by the system's own command in the
/// account, because the system holds them in memory. It knows no exchange of a value for an expected one: the value is
/// read, compared, written and read back.
/// </summary>
internal sealed class PreferencePointers(ICommands commands, IPointers homes, IVolumes volumes) : IPointers
{
    internal const string Kind = CardPointer.Preference;
    private const string Command = "/usr/bin/defaults",
        Type = "text",
        InHome = "~/";

    public PointerValue Read(PointerAddress address)
    {
        var answer = Run(address, "export", address.Container, "-");
        if (answer.Exit != 0)
            throw Failed(address, answer);
        return PropertyList.Find(answer.Output, address.Key, address.ToString()) switch
        {
            null => PointerValue.Absent,
            { Name.LocalName: "string" } text => new PointerValue(Type, text.Value),
            var other => throw new Fault(
                FaultKinds.SettingsNotUnderstood,
                $"The setting {address} is of the type {other.Name.LocalName}, which holds no path.",
                "Look at the program's preferences; nothing was changed."
            ),
        };
    }

    public string? Leads(PointerAddress address, PointerValue value) =>
        SettingPlace.Led(
            address,
            value.Text is { } text && text.StartsWith(InHome, StringComparison.Ordinal)
                ? HomeOf(address) + text[1..]
                : value.Text
        );

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        new(Type, SettingPlace.Spelled(volumes, address, place));

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        var found = Read(address);
        if (found != expected)
            throw Faults.PointerChanged(address, expected, found);
        if (next == expected)
            return;
        var answer = next.Text is { } text
            ? Run(address, "write", address.Container, address.Key, "-string", text)
            : Run(address, "delete", address.Container, address.Key);
        if (answer.Exit != 0)
            throw Failed(address, answer);
        if (Read(address) is var now && now != next)
            throw Faults.PointerChanged(address, next, now);
    }

    private CommandAnswer Run(PointerAddress address, params string[] arguments)
    {
        // Also says whether there is such an account.
        _ = HomeOf(address);
        return commands.Run(address.Account, [Command, .. arguments]);
    }

    private string? HomeOf(PointerAddress address) => homes.Read(DirectoryHomePointers.Address(address.Account)).Text;

    private static Fault Failed(PointerAddress address, CommandAnswer answer) =>
        new(
            FaultKinds.CommandFailed,
            $"The system's command for {address} failed: {PathText.Show(answer.Error.Trim())}",
            "Look at the system's error message."
        );
}
