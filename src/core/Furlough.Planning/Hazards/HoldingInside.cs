using Furlough.Model;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Hazards;

/// <summary>Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.</summary>
public sealed class HoldingInside : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "holding-inside",
            Severity.Blocking,
            "Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.",
            "Relocate the inner one to a place of its own first, discard its original, and survey the machine."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        MovedTogether.Inside(c.Survey, c.Holding).Except(MovedTogether.Along(c.Survey, c.Holding)).FirstOrDefault()
            is not { } inner
            ? null
            : c.Say(
                Entry,
                $"{inner.Name} lives at `{inner.PathShown}` on {c.Machine.Name}, inside {c.Holding.Name}; its setting would lead to what is set aside."
            );
}
