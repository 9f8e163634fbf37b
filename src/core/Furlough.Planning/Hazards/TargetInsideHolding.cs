using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target lies inside the source, or inside another holding.</summary>
public sealed class TargetInsideHolding : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Survey.Holdings.FirstOrDefault(h => h.Place is { } place && (c.Place.IsInside(place) || (h == c.Holding && place.IsInside(c.Place)))) is not { } around ? null
        : around == c.Holding
            ? c.Say("target-inside-source", Severity.Blocking, $"`{c.Shown}` and the present place of {c.Holding.Name} on {c.Machine.Name} lie one inside the other.", "Plan another path.")
            : c.Say("target-inside-holding", Severity.Blocking, $"`{c.Shown}` on {c.Machine.Name} lies inside {around.Name}.", "Plan another path.");
}
