using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The holding's data cannot be found where its pointers lead.</summary>
public sealed class PlaceUnknown : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "place-unknown",
            Severity.Blocking,
            "The holding's data cannot be found where its pointers lead.",
            "Make an audit; put the folder or the setting right first."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Place is not null
        && c.Source is not null
        && (c.Holding.Present || c.Holding.IsMadeByFirstStart || c.Receipt is not null)
            ? null
            : c.Say(
                Entry,
                $"The setting for {c.Holding.Name} on {c.Machine.Name} leads to `{c.Holding.PathShown}`, where there is no folder."
            );
}
