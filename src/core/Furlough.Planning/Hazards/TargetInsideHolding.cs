using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target lies inside another holding.</summary>
public sealed class TargetInsideHolding : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-inside-holding",
            Severity.Blocking,
            "The target lies inside another holding.",
            "Plan another path.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Survey.Holdings.FirstOrDefault(h =>
            h != c.Holding
            && !(h.Name.Kind == HoldingKind.Home && h.Name.Account == c.Holding.Name.Account)
            && !h.Name.Houses(c.Holding.Name)
            && h.Place is { } place
            && c.Place.IsInside(place)
        )
            is not { } around
            ? null
            : c.Say(Entry, $"`{c.Shown}` on {c.Machine.Name} lies inside {around.Name}.");
}
