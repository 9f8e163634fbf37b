using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Nothing is known of the backups of the machine.</summary>
public sealed class BackupUnknown : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "backup-unknown",
            Severity.Advice,
            "Nothing is known of the backups of the machine.",
            "Make sure that there is one. What a backup program says can be told to the agent: see docs/planning.md."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { Backup: null } || c.Relocations.Count == 0
            ? null
            : c.Say(Entry, $"Nothing is known of backups of {c.Machine.Name}.");
}
