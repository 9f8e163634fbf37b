using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Another account has a folder at the same place, or inside it: it would lose that when the source is set aside.</summary>
public sealed class SharedByAccounts : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "shared-by-accounts",
            Severity.Blocking,
            "Another account has a folder at the same place, or inside it: it would lose that when the source is set aside.",
            "Give that account a place of its own first."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Place is not { } place
        || c.Survey.Holdings.FirstOrDefault(h =>
            h.Name.Account != c.Holding.Name.Account && h.Place is { } other && other.IsInside(place)
        )
            is not { } sharing
            ? null
            : c.Say(
                Entry,
                $"{sharing.Name} lives at or inside the place of {c.Holding.Name} on {c.Machine.Name} (`{c.Holding.PathShown}`) and would be lost there."
            );
}
