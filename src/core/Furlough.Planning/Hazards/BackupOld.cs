using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The last backup of the machine is older than the brief allows, or there is none.</summary>
public sealed class BackupOld : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "backup-old",
            Severity.Consent,
            "The last backup of the machine is older than the brief allows, or there is none.",
            "Have it backed up before the run, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey?.Backup is not { } backup
        || c.Relocations.Count == 0
        || c.Now - backup.LastDone <= c.BackupWithin
            ? null
            : c.Say(
                Entry,
                backup.LastDone is { } last
                    ? $"{c.Machine.Name} was backed up {Words.Length(c.Now - last)} ago; the brief allows {Words.Length(c.BackupWithin)}."
                    : $"{c.Machine.Name} has never been backed up."
            );
}
