using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Two holdings would live at one place.</summary>
public sealed class OnePlaceTwice : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "one-place-twice",
            Severity.Blocking,
            "Two holdings would live at one place.",
            "Put {account} and {folder} into the path.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null
        || c.Before.FirstOrDefault(r =>
            r.Blocked.Count == 0
            && !r.Holding.Houses(c.Holding.Name)
            && !c.Holding.Name.Houses(r.Holding)
            && (c.Place.IsInside(r.Target) || r.Target.IsInside(c.Place))
        )
            is not { } other
            ? null
            : c.Say(Entry, $"{c.Holding.Name} and {other.Holding} on {c.Machine.Name} would share `{c.Shown}`.");
}
