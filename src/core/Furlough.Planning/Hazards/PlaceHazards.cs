using Furlough.Model;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Hazards;

/// <summary>Where the holding is and where it would go: one inside the other, taken, unknown, someone else's.</summary>
internal static class PlaceHazards
{
    internal static IReadOnlyList<RelocationHazard> NothingToDo { get; } =
    [
        new(
            "already-there",
            Severity.Advice,
            "The holding lives at its target already.",
            "Nothing is done for it.",
            c =>
                c.Holding.Place != c.Place
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} already lives at `{c.Shown}`."
        ),
    ];

    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "name-incomplete",
            Severity.Blocking,
            "The path of a holding wants something of its account that the brief does not say.",
            "Say it under `people` in the brief and make a new plan.",
            c =>
                c
                    .Brief.PersonalNames.Where(n => c.Place.Path.Contains("{" + n + "}", StringComparison.Ordinal))
                    .ToList()
                    is not { Count: > 0 } missing
                    ? null
                    : $"The path for {c.Holding.Name} on {c.Machine.Name} wants "
                        + $"{string.Join(" and ", missing.Select(n => "{" + n + "}"))}, and the brief does not say that "
                        + $"of {(c.Holding.Name.IsShared ? "what all accounts share" : c.Account.Name)}."
        )
        {
            OfSettings = true,
        },
        new(
            "place-unknown",
            Severity.Blocking,
            "The holding's data cannot be found where its pointers lead.",
            "Make an audit; put the folder or the setting right first.",
            c =>
                c.Holding.Place is not null
                && c.Source is not null
                && (c.Holding.Present || c.Holding.IsMadeByFirstStart || c.Receipt is not null)
                    ? null
                    : $"The setting for {c.Holding.Name} on {c.Machine.Name} leads to `{c.Holding.PathShown}`, where there is no folder."
        ),
        new(
            "source-is-volume",
            Severity.Blocking,
            "The holding is a whole volume that is mounted in its place, which is not relocated.",
            "Leave it out of the brief; or have the volume mounted elsewhere, with the holding in a folder of it, and survey again.",
            c =>
                c.Holding.Place is not { Path: "" }
                    ? null
                    : $"A volume of its own is mounted at `{c.Holding.PathShown}` of {c.Machine.Name}: "
                        + $"{c.Holding.Name} is that whole volume."
        ),
        new(
            "source-foreign",
            Severity.Blocking,
            "A setting leads to a folder that is not the account's own, or lies outside its home: someone else's data would be moved.",
            "Correct the setting, or leave this holding out.",
            c =>
                c.Holding.Foreign is not { } why
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} is not relocated: {why}"
        )
        {
            OfRepointing = true,
        },
        new(
            "hidden-application-data",
            Severity.Blocking,
            "The folder lies in hidden application data, whose programs know their own path.",
            "Have the setting lead to a folder of its own first.",
            c =>
                c.Holding.Name.Kind != HoldingKind.Folder
                || (c.Holding.HiddenIn ?? c.Holding.Place?.Parts.FirstOrDefault(p => p.StartsWith('.')))
                    is not { } hidden
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} lies in `{hidden}`, hidden application data that moves "
                        + "only with the whole home."
        ),
        new(
            "target-inside-source",
            Severity.Blocking,
            "The target and the source lie one inside the other.",
            "Plan another path.",
            c =>
                c.Holding.Place is not { } place
                || c.Place == place
                || !(c.Place.IsInside(place) || place.IsInside(c.Place))
                    ? null
                    : $"`{c.Shown}` and the present place of {c.Holding.Name} on {c.Machine.Name} lie one inside the other."
        )
        {
            OfRepointing = true,
        },
        new(
            "target-inside-holding",
            Severity.Blocking,
            "The target lies inside another holding.",
            "Plan another path.",
            c =>
                c.Survey.Holdings.FirstOrDefault(h =>
                    h != c.Holding
                    && !(h.Name.Kind == HoldingKind.Home && h.Name.Account == c.Holding.Name.Account)
                    && !h.Name.Houses(c.Holding.Name)
                    && h.Place is { } place
                    && c.Place.IsInside(place)
                )
                    is not { } around
                    ? null
                    : $"`{c.Shown}` on {c.Machine.Name} lies inside {around.Name}."
        )
        {
            OfSettings = true,
        },
        new(
            "shared-by-accounts",
            Severity.Blocking,
            "Another account has a folder at the same place, or inside it: it would lose that when the source is set aside.",
            "Give that account a place of its own first.",
            c =>
                c.Holding.Place is not { } place
                || c.Survey.Holdings.FirstOrDefault(h =>
                    h.Name.Account != c.Holding.Name.Account && h.Place is { } other && other.IsInside(place)
                )
                    is not { } sharing
                    ? null
                    : $"{sharing.Name} lives at or inside the place of {c.Holding.Name} on {c.Machine.Name} "
                        + $"(`{c.Holding.PathShown}`) and would be lost there."
        ),
        new(
            "holding-inside",
            Severity.Blocking,
            "Another holding of the account lives inside this one, or at the same place: its setting would lead to what is set aside.",
            "Relocate the inner one to a place of its own first, discard its original, and survey the machine.",
            c =>
                MovedTogether
                    .Inside(c.Survey, c.Holding)
                    .Except(MovedTogether.Along(c.Survey, c.Holding))
                    .FirstOrDefault()
                    is not { } inner
                    ? null
                    : $"{inner.Name} lives at `{inner.PathShown}` on {c.Machine.Name}, inside {c.Holding.Name}; its "
                        + "setting would lead to what is set aside."
        ),
        new(
            "moves-along",
            Severity.Consent,
            "Another holding of the account lives inside this one: both are moved together, and the settings of both are changed.",
            "Accept it; or relocate the inner one to a place of its own first, discard its original, and survey the machine.",
            MovesAlong
        ),
        new(
            "target-not-empty",
            Severity.Blocking,
            "Something stands at the target already.",
            "Furlough overwrites nothing: take it away, plan another path, or let `existing: adopt` make it live if it equals the source.",
            TargetNotEmpty
        )
        {
            OfRepointing = true,
        },
        new(
            "data-stays",
            Severity.Advice,
            "Only the folder's setting changes: what is in the folder stays where it is, and people see an empty one.",
            "Tell people where their former files are, or leave out `method: repoint-only` to move them.",
            c =>
                c.Method != Method.RepointOnly
                    ? null
                    : $"{Words.Count(c.Holding.Files, "file")} ({Words.Size(c.Holding.DataBytes)}) of "
                        + $"{c.Holding.Name} on {c.Machine.Name} stay at `{c.Holding.PathShown}`; from then on the "
                        + $"folder is `{c.Shown}`, which is empty."
        )
        {
            OfRepointing = true,
        },
        new(
            "holding-already-there",
            Severity.Advice,
            "What is at the target is adopted.",
            "If it differs, the relocation stops and says where; look at what is set aside before it is discarded.",
            c =>
                c.Method != Method.Adopt
                    ? null
                    : new HazardText(
                        c.Receipt is { } receipt
                            ? $"{c.Holding.Name} is at `{c.Shown}` on {c.Machine.Name} by a receipt of "
                                + $"{receipt.WrittenAt:yyyy-MM-dd} and becomes live there again; nothing is copied."
                                + WhatIsSetAside(c)
                            : $"What is at `{c.Shown}` on {c.Machine.Name} becomes live if it equals {c.Holding.Name}; nothing is copied.",
                        c.Receipt is null
                            ? "If it differs, the relocation stops and says where."
                            : "Look at what is set aside before it is discarded."
                    )
        ),
        new(
            "receipt-not-genuine",
            Severity.Advice,
            "A receipt for this holding was found whose signature is by nobody the service knows.",
            "Look at that folder: it may come from another service's machine, or someone made the receipt up. It is not adopted.",
            c =>
                c.Receipt is not null
                || c.Survey.Receipts.FirstOrDefault(r => !r.Genuine && r.Holding == c.Holding.Name) is not { } receipt
                    ? null
                    : $"A receipt beside `{c.Survey.Show(receipt.Target)}` on {c.Machine.Name} says that "
                        + $"{c.Holding.Name} lived there, but no machine known here signed it."
        ),
        new(
            "one-place-twice",
            Severity.Blocking,
            "Two holdings would live at one place.",
            "Put {account} and {folder} into the path.",
            c =>
                c.Target is null
                || c.Before.FirstOrDefault(r =>
                    r.Blocked.Count == 0
                    && !r.Holding.Houses(c.Holding.Name)
                    && !c.Holding.Name.Houses(r.Holding)
                    && r.Target is { } there
                    && (c.Place.IsInside(there) || there.IsInside(c.Place))
                )
                    is not { } other
                    ? null
                    : $"{c.Holding.Name} and {other.Holding} on {c.Machine.Name} would share `{c.Shown}`."
        )
        {
            OfSettings = true,
        },
        new(
            "partly-elsewhere",
            Severity.Advice,
            "Files stand at the usual place of the folder as well, though its settings lead elsewhere.",
            "Look whether they are wanted: they are neither copied nor removed.",
            c =>
                c.Holding.Stray is not { Files: > 0 } stray
                    ? null
                    : $"`{stray.PathShown}` on {c.Machine.Name}, the usual place of {c.Holding.Name}, has "
                        + $"{Words.Count(stray.Files, "file")} of {Words.Size(stray.DataBytes)} as well."
        ),
        new(
            "exchange-across-volumes",
            Severity.Blocking,
            "The exchange method is asked for between two volumes.",
            "Leave `method` out, or say `cold`.",
            c =>
                c.Method != Method.Exchange || c.Source is null || c.Target is null || c.Source == c.Target
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} would change its volume, which the exchange method cannot do."
        ),
    ];

    private static HazardText? MovesAlong(HazardContext c)
    {
        var inner = MovedTogether.Along(c.Survey, c.Holding).ToList();
        return inner.Count == 0
            ? null
            : $"{string.Join(", ", inner.Select(h => $"{h.Name} (`{h.PathShown}`)"))} "
                + $"{(inner.Count == 1 ? "lives" : "live")} inside {c.Holding.Name} on {c.Machine.Name} and "
                + $"{(inner.Count == 1 ? "is" : "are")} moved along with it; another place that the brief names for "
                + $"{(inner.Count == 1 ? "it" : "them")} is passed over.";
    }

    private static HazardText? TargetNotEmpty(HazardContext c)
    {
        if (c.Target is null || c.Method == Method.Adopt || !c.Target.Taken.Contains(c.Place.Path))
            return null;
        var known = c.Survey.Receipts.Any(r => r.Genuine && r.Holding == c.Holding.Name && r.Target == c.Place);
        return new HazardText(
            $"Something stands at `{c.Shown}` on {c.Machine.Name} "
                + $"already{(known ? ": a receipt says that it is this very holding, from before the system was reinstalled" : "")}.",
            known
                ? "With `existing: adopt` in the brief it becomes live there again, without copying."
                : "Furlough overwrites nothing: take it away, plan another path, or let `existing: adopt` make it "
                    + "live if it equals the source."
        );
    }

    private static string WhatIsSetAside(HazardContext c) =>
        c.Holding.Files == 0
            ? ""
            : $" The {Words.Count(c.Holding.Files, "file")} at `{c.Holding.PathShown}` are set aside and not mixed in.";
}
