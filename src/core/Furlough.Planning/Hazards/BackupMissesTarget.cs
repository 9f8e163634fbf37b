using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The backup saves the source and not the target.</summary>
public sealed class BackupMissesTarget : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "backup-misses-target",
            Severity.Consent,
            "The backup saves the source and not the target.",
            "Add the target to what the backup saves, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null
        || c.Holding.Place is null
        || c.Survey.Backup is not { } backup
        || !backup.Saves(c.Holding.Place)
        || backup.Saves(c.Place)
            ? null
            : c.Say(Entry, $"The backup of {c.Machine.Name} saves `{c.Holding.PathShown}` and not `{c.Shown}`.");
}
