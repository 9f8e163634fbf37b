using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target and the source lie one inside the other.</summary>
public sealed class TargetInsideSource : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-inside-source",
            Severity.Blocking,
            "The target and the source lie one inside the other.",
            "Plan another path."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Place is not { } place || c.Place == place || !(c.Place.IsInside(place) || place.IsInside(c.Place))
            ? null
            : c.Say(
                Entry,
                $"`{c.Shown}` and the present place of {c.Holding.Name} on {c.Machine.Name} lie one inside the other."
            );
}
