using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Settings of its account, or files of the system, name the home by its path; they would lead to the former place.</summary>
public sealed class HomeNamedByPath : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "home-named-by-path",
            Severity.Consent,
            "Settings of its account, or files of the system, name the home by its path; they would lead to the former place.",
            "Leave a link at the former place (`leave: link`), change them afterwards, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Holding is not { Name.Kind: HoldingKind.Home, Home: { } home, Place: { } place } || c.Item.LeavesLink)
            return null;
        List<string> named = [.. home.NamedBy, .. Inner(c, place).Select(h => $"the setting for {h.Name}")];
        return named.Count == 0
            ? null
            : c.Say(
                Entry,
                $"On {c.Machine.Name} {string.Join(", ", named.Take(Shown))}{(named.Count > Shown ? $" and {named.Count - Shown} more" : "")} {(named.Count == 1 ? "names" : "name")} the home of {c.Account.Name} by its path `{c.Holding.PathShown}`."
            );
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
}
