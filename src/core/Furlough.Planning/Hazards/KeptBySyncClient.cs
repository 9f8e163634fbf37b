using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A sync client keeps the folder, or one inside it: to it the relocation would look like deletion.</summary>
public sealed class KeptBySyncClient : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "kept-by-sync-client",
            Severity.Blocking,
            "A sync client keeps the folder, or one inside it: to it the relocation would look like deletion.",
            "Take the folder out of the sync client first, or have the client keep another one."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Survey.SyncFolders.FirstOrDefault(s =>
            c.Holding.Place is { } place && (place.IsInside(s.Place) || s.Place.IsInside(place))
        )
            is not { } kept
            ? null
            : c.Say(
                Entry,
                $"{kept.Client} of {kept.Account} keeps `{c.Survey.Show(kept.Place)}` on {c.Machine.Name} the same as elsewhere; when {c.Holding.Name} is set aside it would take that for deletion."
            );
}
