using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Pointers that a program keeps behind its own commands, which run in the account. They know no exchange of a value
/// for an expected one: it is read, compared, written and read back; what a command left that is neither is corrected.
/// </summary>
internal sealed class CommandPointers(LinuxVolumes volumes, LinuxActivity activity) : IPointers
{
    private const string Type = "text";

    public string? Leads(PointerAddress address, PointerValue value) => SettingPlace.Led(address, value.Text);

    public PointerValue Read(PointerAddress address) =>
        Run(address, CommandsOf(address).Reads) is { Length: > 0 } text
            ? new PointerValue(Type, text)
            : PointerValue.Absent;

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        new(Type, SettingPlace.Spelled(volumes, address, place));

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        var found = Read(address);
        if (found != expected)
            throw Faults.PointerChanged(address, expected, found);
        if (next == expected)
            return;
        try
        {
            Write(address, next);
        }
        catch (Fault)
        {
            PutBack(address, expected, next);
            throw;
        }
        if (Read(address) is var now && now != next)
        {
            PutBack(address, expected, next);
            throw new Fault(
                FaultKinds.CommandDidNotSet,
                $"The command that sets {address} was given `{next.Text ?? "(nothing)"}`, and what reads it says "
                    + $"`{now.Text ?? "(nothing)"}`.",
                "Try both manually in the account, correct the kind card."
            );
        }
        // Which files it wrote only the program knows.
        var path = SettingPlace.HomeOf(volumes, address);
        using var folder = volumes.TryOpenFolder(path) ?? throw new IoFault(IoReason.NotFound, path, "no such folder");
        Native.Check(Native.SyncVolume(folder.Descriptor), path);
    }

    /// <summary>What a command left that is neither the former value nor the wished one was nobody's wish.</summary>
    private void PutBack(PointerAddress address, PointerValue expected, PointerValue next)
    {
        try
        {
            if (Read(address) is var left && left != expected && left != next)
                Write(address, expected);
        }
        catch (Fault)
        {
            // The first fault says what happened; what the setting reads now is looked at when the docket is undone.
        }
    }

    private void Write(PointerAddress address, PointerValue next)
    {
        var commands = CommandsOf(address);
        if (next.Text is null && commands.Clears.Count == 0)
            throw new Fault(
                FaultKinds.CommandMissing,
                $"The kind card has no command that takes {address} away.",
                "Add `clears` to the kind card."
            );
        Run(
            address,
            next.Text is { } text
                ? [.. commands.Writes.Select(a => a.Replace(SettingCommands.Value, text, StringComparison.Ordinal))]
                : commands.Clears
        );
    }

    private string Run(PointerAddress address, IReadOnlyList<string> command) =>
        activity.Ask(address.Account, command)
        ?? throw new Fault(
            FaultKinds.CommandsNotAllowed,
            "Commands keep this setting, and commands of kind cards do not run on this machine.",
            "Have its agent started with --card-commands, or leave this kind out there."
        );

    private static SettingCommands CommandsOf(PointerAddress address) =>
        address is { Kind: CardPointer.Command, Commands: { } commands }
            ? commands
            : throw new Fault(
                FaultKinds.PointerKindUnknown,
                $"This machine has no settings of the kind {address.Kind}.",
                ""
            );
}
