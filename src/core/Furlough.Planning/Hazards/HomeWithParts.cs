using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The plan relocates a home and folders or libraries of the same account.</summary>
public sealed class HomeWithParts : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "home-with-parts",
            Severity.Blocking,
            "The plan relocates a home and folders or libraries of the same account.",
            "Relocate the parts first and the home with a later plan, or leave the parts out."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Name.Kind != HoldingKind.Home
        || c.Before.FirstOrDefault(r =>
            r.Holding.Account == c.Holding.Name.Account && r.Method != Method.Setting && r.Blocked.Count == 0
        )
            is not { } part
            ? null
            : c.Say(Entry, $"{part.Holding} on {c.Machine.Name} is relocated by the same plan as the home around it.");
}
