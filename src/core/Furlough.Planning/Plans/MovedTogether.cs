using Furlough.Model;
using Furlough.Planning.Hazards;

namespace Furlough.Planning.Plans;

/// <summary>What is moved together with a holding because it lives inside it.</summary>
public static class MovedTogether
{
    /// <summary>The holdings that are moved together with one.</summary>
    internal static IEnumerable<HoldingFacts> Along(Survey survey, HoldingFacts holding) =>
        holding.Name.Kind is HoldingKind.Folder or HoldingKind.Library ? HoldingInside.Inner(survey, holding).Where(HoldingInside.MayMoveAlong) : [];

    /// <summary>Its own settings, and those of holdings that move along with it.</summary>
    public static IReadOnlyList<PointerFacts> Pointers(Survey survey, HoldingFacts holding) => holding.Place is not { } place ? holding.Pointers
        : [.. holding.Pointers, .. Along(survey, holding).SelectMany(h => h.Pointers.Select(p => p with { Within = h.Place!.Path[place.Path.Length..].TrimStart('/') }))];
}
