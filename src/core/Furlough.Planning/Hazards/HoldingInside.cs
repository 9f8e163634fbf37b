using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.</summary>
public sealed class HoldingInside : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("holding-inside", Severity.Blocking, "Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.",
        "Relocate the inner one to a place of its own first, discard its original, and survey the machine.");

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Name.Kind == HoldingKind.Home || c.Holding.Place is not { } place || c.Survey.Holdings.FirstOrDefault(h => h.Name.Account == c.Holding.Name.Account && h.Name != c.Holding.Name && h.Place?.IsInside(place) == true && !FollowsByItself(h)) is not { } inner ? null
        : c.Say(Entry, $"{inner.Name} lives at `{inner.PathShown}` on {c.Machine.Name}, inside {c.Holding.Name}; its setting would lead to what is set aside.");

    /// <summary>An install path whose settings say nothing is where its program has it, which follows the folder.</summary>
    private static bool FollowsByItself(HoldingFacts holding) => holding.Name.Kind == HoldingKind.InstallPath && holding.Pointers.All(p => p.Value.Text is null);
}
