using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Whole homes.</summary>
internal static class HomeHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "home-of-fallback",
            Severity.Blocking,
            "The home is the fallback administrator's, who must be able to sign in when the other volume fails.",
            "Leave that account out of the item.",
            c =>
                c.Holding.Name.Kind != HoldingKind.Home || !c.Account.Fallback
                    ? null
                    : $"{c.Account.Name} is the fallback administrator of {c.Machine.Name}, whose home stays on the system volume."
        ),
        new(
            "home-without-fallback",
            Severity.Blocking,
            "A home is relocated and no fallback administrator has a home on the system volume.",
            "Make a local administrator whose home is on the system volume, and name it to the agent with --fallback.",
            c =>
                c.Holding.Name.Kind != HoldingKind.Home || HasFallback(c.Survey)
                    ? null
                    : $"When the target volume of {c.Machine.Name} fails, nobody could sign in there: no fallback "
                        + "administrator has a home on its system volume."
        ),
        new(
            "home-with-parts",
            Severity.Blocking,
            "The plan relocates a home and folders or libraries of the same account.",
            "Relocate the parts first and the home with a later plan, or leave the parts out.",
            c =>
                c.Holding.Name.Kind != HoldingKind.Home
                || c.Before.FirstOrDefault(r =>
                    r.Holding.Account == c.Holding.Name.Account && r.Method.MovesData() && r.Blocked.Count == 0
                )
                    is not { } part
                    ? null
                    : $"{part.Holding} on {c.Machine.Name} is relocated by the same plan as the home around it."
        ),
        new(
            "home-named-by-path",
            Severity.Consent,
            "Settings of its account, or files of the system, name the home by its path; they would lead to the former place.",
            "Leave a link at the former place (`leave: link`), change them afterwards, or accept it.",
            HomeNamedByPath
        ),
        new(
            "home-named-otherwise",
            Severity.Blocking,
            "The system's accounts are known by the names of their homes' folders, and the new one would be another.",
            "Let the item's path end in `{account}`.",
            c =>
                c.Holding.Home is not { NamesAccount: true }
                || string.Equals(c.Place.Parts[^1], c.Account.Name, StringComparison.OrdinalIgnoreCase)
                    ? null
                    : $"The home of {c.Account.Name} on {c.Machine.Name} would be `{c.Shown}`: there an account is "
                        + "known by the name of its home's folder."
        ),
        new(
            "confined-elsewhere",
            Severity.Consent,
            "The system lets confined programs work in homes at certain places only, and the new one is none of them.",
            "Add the new place to the system's list, or accept it.",
            ConfinedElsewhere
        ),
        new(
            "caches-in-home",
            Severity.Advice,
            "A home holds much that programs keep only to be quicker.",
            "Deleting it before the run makes the relocation shorter; programs make it again.",
            c =>
                c.Holding.Home is not { CacheBytes: > Much } home
                    ? null
                    : $"{Words.Size(home.CacheBytes)} of {Words.Size(c.Holding.DataBytes)} in the home of "
                        + $"{c.Account.Name} on {c.Machine.Name} are caches."
        ),
    ];

    private static bool HasFallback(Survey survey) =>
        survey.Holdings.Any(h =>
            h.Name.Kind == HoldingKind.Home
            && survey.AccountOf(h.Name).Fallback
            && survey.VolumeOf(h.Place) is { System: true }
        );

    private static HazardText? HomeNamedByPath(HazardContext c)
    {
        if (c.Holding is not { Name.Kind: HoldingKind.Home, Home: { } home, Place: { } place } || c.Item.LeavesLink)
            return null;
        List<string> named = [.. home.NamedBy, .. Inner(c, place).Select(h => $"the setting for {h.Name}")];
        return named.Count == 0
            ? null
            : $"On {c.Machine.Name} "
                + $"{Words.Some(named, Shown)} "
                + $"{(named.Count == 1 ? "names" : "name")} the home of {c.Account.Name} by its path "
                + $"`{c.Holding.PathShown}`.";
    }

    private const int Shown = 6;

    /// <summary>Holdings inside the home whose settings hold its whole path, and are not changed with it.</summary>
    private static IEnumerable<HoldingFacts> Inner(HazardContext c, Place home) =>
        c.Survey.Holdings.Where(h =>
            h.Name.Account == c.Account.Name
            && h.Name.Kind != HoldingKind.Home
            && h.Place?.IsInside(home) == true
            && h.Pointers.Any(p =>
                Names(p.Value.Text, c.Holding.PathShown)
                && !c.Holding.Pointers.Any(own => own.Address.IsSameSetting(p.Address))
            )
        );

    private static bool Names(string? text, string home) =>
        text is not null
        && (
            text.Contains(home + "/", StringComparison.Ordinal)
            || text.Contains(home + "\\", StringComparison.OrdinalIgnoreCase)
        );

    private static HazardText? ConfinedElsewhere(HazardContext c)
    {
        if (
            c.Holding.Home?.Confinement is not { } confined
            || c.Target is null
            || confined.Homes.Any(h => (c.Shown + "/").StartsWith(h.TrimEnd('/') + "/", StringComparison.Ordinal))
        )
            return null;
        return new HazardText(
            $"{confined.By} on {c.Machine.Name} expects homes below "
                + $"{string.Join(" or ", confined.Homes.Select(h => $"`{h}`"))}; programs that it confines may be "
                + $"refused at `{c.Shown}`.",
            confined.Remedy
        );
    }

    private const long Much = 200_000_000;
}
