using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target lies in a folder that a sync client keeps: everything would be sent elsewhere.</summary>
public sealed class TargetInSyncFolder : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-in-sync-folder",
            Severity.Consent,
            "The target lies in a folder that a sync client keeps: everything would be sent elsewhere.",
            "Plan another path, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Survey.SyncFolders.FirstOrDefault(s => c.Place.IsInside(s.Place)) is not { } kept
            ? null
            : c.Say(
                Entry,
                $"`{c.Shown}` on {c.Machine.Name} lies in what {kept.Client} of {kept.Account} keeps: {Words.Size(c.Holding.DataBytes)} would be sent elsewhere."
            );
}
