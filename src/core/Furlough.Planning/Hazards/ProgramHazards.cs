using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Programs: apps, libraries, install paths, and what has files open.</summary>
internal static class ProgramHazards
{
    internal static IReadOnlyList<RelocationHazard> NothingToDo { get; } =
    [
        new(
            "app-stays",
            Severity.Advice,
            "A pattern of the brief fits an app that the system does not let be moved: it is left out of the plan.",
            "Nothing is done for it; `install-paths` decides where the next ones are installed.",
            c =>
                c.Holding.Immovable is { } why && !c.Item.NamesOutright(c.Holding.Name)
                    ? $"{c.Holding.Name} is left out on {c.Machine.Name}: {why}."
                    : null
        ),
    ];

    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "app-cannot-move",
            Severity.Blocking,
            "The brief names an app that the system does not let be moved, or would put back.",
            "Leave it where it is; `install-paths` decides where the next ones are installed.",
            c =>
                c.Holding.Immovable is { } why
                    ? $"{c.Holding.Name} stays where it is on {c.Machine.Name}: {why}."
                    : null
        ),
        new(
            "made-by-first-start",
            Severity.Advice,
            "The account has no such library yet: its program is started once and makes it, before it is relocated.",
            "Nothing, where that is wanted; else leave the account out.",
            c =>
                !c.Holding.IsMadeByFirstStart
                    ? null
                    : $"{c.Account.Name} has no {c.Holding.Name.Name} on {c.Machine.Name} yet: "
                        + $"`{string.Join(' ', c.Holding.Program!.FirstStart)}` makes it at `{c.Holding.PathShown}`, "
                        + "then it is relocated."
        ),
        new(
            "programs-stay",
            Severity.Advice,
            "Programs are installed at the former place of an install path: they stay there.",
            "Only what is installed from now on goes to the new place; reinstall what is to move, or relocate it "
                + "with `apps` where the system lets it.",
            c =>
                c.Method != Method.Setting
                || c.Holding.Installed.Where(name => !IsRelocated(c, name)).ToList() is not { Count: > 0 } there
                    ? null
                    : $"What is installed at `{c.Holding.PathShown}` on {c.Machine.Name} stays there: "
                        + $"{Words.Some(there, Shown)}."
        )
        {
            OfSettings = true,
        },
        new(
            "small-apps-stay",
            Severity.Advice,
            "The system keeps small apps on its own volume, wherever the setting says that apps go.",
            "Reckon with them when the system volume's space is planned.",
            SmallAppsStay
        )
        {
            OfSettings = true,
        },
        new(
            "files-in-use",
            Severity.Advice,
            "Files of the holding are open.",
            "Have the programs closed before the run; files still open stop the relocation and change nothing.",
            c =>
                c.Holding.InUse.Count == 0
                    ? null
                    : $"{Words.Count(c.Holding.InUse.Count, "file")} of {c.Holding.Name} on {c.Machine.Name} in use "
                        + $"at the survey: {c.Holding.InUse[0]}."
        ),
        new(
            "service-running",
            Severity.Advice,
            "A system service holds files of the holding open.",
            "Stop the service before the run; files still open stop the relocation and change nothing.",
            c =>
                c.Holding.Services.Count == 0
                    ? null
                    : $"{string.Join(" and ", c.Holding.Services.Take(3))} "
                        + $"{(c.Holding.Services.Count == 1 ? "holds" : "hold")} files of {c.Holding.Name} on "
                        + $"{c.Machine.Name} open."
        ),
    ];

    private const int Shown = 8;

    /// <summary>The same brief relocates it as an app.</summary>
    private static bool IsRelocated(HazardContext c, string name) =>
        c.Survey.Holdings.FirstOrDefault(h => h.Name == new HoldingName("", HoldingKind.App, name))
            is { Immovable: null } app
        && c.Brief.Relocate.Any(i => i.Of(c.Machine.Name, c.Survey).Contains(app));

    private static HazardText? SmallAppsStay(HazardContext c)
    {
        if (c.Holding.SmallestBytes == 0)
            return null;
        List<string> small =
        [
            .. c
                .Survey.Holdings.Where(h => h.Name.Kind == HoldingKind.App && h.DataBytes < c.Holding.SmallestBytes)
                .Select(h => h.Name.Name),
        ];
        var there = small.Count == 0 ? "" : $" So do those of that size that are there: {Words.Some(small, Shown)}.";
        return $"Apps below {Words.Size(c.Holding.SmallestBytes)} stay on the system volume of {c.Machine.Name}.{there}";
    }
}
