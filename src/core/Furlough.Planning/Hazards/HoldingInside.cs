using Furlough.Model;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Hazards;

/// <summary>Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.</summary>
public sealed class HoldingInside : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("holding-inside", Severity.Blocking, "Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.",
        "Relocate the inner one to a place of its own first, discard its original, and survey the machine.");

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        Inner(c.Survey, c.Holding).Except(MovedTogether.Along(c.Survey, c.Holding)).FirstOrDefault() is not { } inner ? null
        : c.Say(Entry, $"{inner.Name} lives at `{inner.PathShown}` on {c.Machine.Name}, inside {c.Holding.Name}; its setting would lead to what is set aside.");

    /// <summary>The other holdings of its account that live inside a holding, or at the same place, and do not follow it by themselves.</summary>
    internal static IEnumerable<HoldingFacts> Inner(Survey survey, HoldingFacts holding) => holding.Name.Kind == HoldingKind.Home || holding.Place is not { Path.Length: > 0 } place ? []
        : survey.Holdings.Where(h => h.Name.Account == holding.Name.Account && h.Name != holding.Name && h.Place?.IsInside(place) == true && !FollowsByItself(h));

    /// <summary>Whether a holding's settings can be changed together with those of the one around it: there are some, nothing keeps them as they are, each names the whole place, and no program has to be closed for it.</summary>
    internal static bool MayMoveAlong(HoldingFacts inner) => inner is { Present: true, Program: null, Name.Kind: HoldingKind.Folder or HoldingKind.Library, Pointers.Count: > 0 }
        && inner.Pointers.All(p => p is { FixedBy: null, Address: { InPlace: false, Adds: null, NamesVolume: false, Behind: null } } && p.Resolves == inner.Place);

    /// <summary>An install path whose settings say nothing is where its program has it, which follows the folder.</summary>
    private static bool FollowsByItself(HoldingFacts holding) => holding.Name.Kind == HoldingKind.InstallPath && holding.Pointers.All(p => p.Value.Text is null);
}
