using Furlough.Model;

namespace Furlough.Planning.Plans;

/// <summary>Which holdings live inside another one, and which of them are moved together with it.</summary>
public static class MovedTogether
{
    /// <summary>
    /// The other holdings of its account that live inside a holding, or at the same place, and do not follow it
    /// automatically.
    /// </summary>
    internal static IEnumerable<HoldingFacts> Inside(Survey survey, HoldingFacts holding) =>
        holding.Name.Kind == HoldingKind.Home || holding.Place is not { Path.Length: > 0 } place
            ? []
            : survey.Holdings.Where(h =>
                h.Name.Account == holding.Name.Account
                && h.Name != holding.Name
                && h.Place?.IsInside(place) == true
                && !FollowsByItself(h)
            );

    /// <summary>Those of them whose settings can be changed together with its own.</summary>
    internal static IEnumerable<HoldingFacts> Along(Survey survey, HoldingFacts holding) =>
        holding.Name.Kind is HoldingKind.Folder or HoldingKind.Library ? Inside(survey, holding).Where(MayFollow) : [];

    /// <summary>Its own settings, and those of holdings that move along with it.</summary>
    public static IReadOnlyList<PointerFacts> Pointers(Survey survey, HoldingFacts holding)
    {
        if (holding.Place is not { } place)
            return holding.Pointers;
        var along = Along(survey, holding)
            .SelectMany(h =>
                h.Pointers.Select(p => p with { Within = h.Place!.Path[place.Path.Length..].TrimStart('/') })
            );
        return [.. holding.Pointers, .. along];
    }

    /// <summary>
    /// There are settings, nothing keeps them as they are, each names the whole place, and no program has to be closed
    /// for it.
    /// </summary>
    private static bool MayFollow(HoldingFacts inner) =>
        inner
            is {
                Present: true,
                Program: null,
                Name.Kind: HoldingKind.Folder or HoldingKind.Library,
                Pointers.Count: > 0
            }
        && inner.Pointers.All(p =>
            p.Resolves == inner.Place
            && p is { FixedBy: null, Address: { InPlace: false, Adds: null, NamesVolume: false, Behind: null } }
        );

    /// <summary>
    /// An install path whose settings say nothing is where its program has it, which follows the folder.
    /// </summary>
    private static bool FollowsByItself(HoldingFacts holding) =>
        holding.Name.Kind == HoldingKind.InstallPath && holding.Pointers.All(p => p.Value.Text is null);
}
