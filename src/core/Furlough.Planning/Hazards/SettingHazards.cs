using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The settings that lead to the holding, and what else names it by its path.</summary>
internal static class SettingHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "pointers-disagree",
            Severity.Blocking,
            "The pointers of a holding lead to different places.",
            "Find out which one is right and correct the other first.",
            c =>
                c.Holding.Pointers.Select(p => p.Resolves).Distinct().Count() <= 1
                    ? null
                    : $"The settings for {c.Holding.Name} on {c.Machine.Name} lead to different places: "
                        + $"{string.Join("; ", c.Holding.Pointers.Select(p => $"{p.Address} reads `{p.Value.Text ?? "(nothing)"}`"))}."
        )
        {
            OfSettings = true,
        },
        new(
            "pointer-shape",
            Severity.Blocking,
            "A setting needs the folder around the data, and the program adds a name that the target does not "
                + "end in; or it needs a volume alone.",
            "End the path with the name that the program adds.",
            PointerShape
        )
        {
            OfSettings = true,
        },
        new(
            "setting-fixed",
            Severity.Blocking,
            "A setting that would be changed is fixed by the administration: it would be put back.",
            "Have the rule changed that fixes it.",
            c =>
                c.Holding.Pointers.FirstOrDefault(p => p.FixedBy is not null) is not { } pointer
                    ? null
                    : $"The setting for {c.Holding.Name} on {c.Machine.Name} is not the account's own: {pointer.FixedBy}."
        )
        {
            OfSettings = true,
        },
        new(
            "setting-not-there",
            Severity.Blocking,
            "The system does not have the setting of an install path yet.",
            "Bring the system to a version that has it, or leave the machine out.",
            c =>
                c.Holding is not { Name.Kind: HoldingKind.InstallPath, Immovable: { } why }
                    ? null
                    : $"{c.Holding.Name} cannot be changed on {c.Machine.Name}: {why}."
        )
        {
            OfSettings = true,
        },
        new(
            "served-by",
            Severity.Consent,
            "A share, an export, a server or another part of the machine's configuration names the folder by its "
                + "path, and would name nothing after it was relocated.",
            "Change what names it manually right after the run, or leave a link at the former place (`leave: link`).",
            c =>
                c.Holding.ServedBy.Count == 0
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} (`{c.Holding.PathShown}`) is named by "
                        + $"{Words.Some(c.Holding.ServedBy, Most)}."
        ),
    ];

    private const int Most = 4;

    private static HazardText? PointerShape(HazardContext c)
    {
        var wrong = c.Holding.Pointers.FirstOrDefault(p =>
            p.Address.Adds is { } adds && (p.Address.NamesVolume ? c.Place.Path : c.Place.Parts[^1]) != adds
        );
        if (wrong is null)
            return null;
        var added = wrong.Address.Adds!;
        if (wrong.Address.NamesVolume)
            return new HazardText(
                $"The setting for {c.Holding.Name} on {c.Machine.Name} names a volume alone; what is there goes "
                    + $"into `{c.Survey.Show(c.Place with { Path = added })}`.",
                $"Let the path be `{added}`."
            );
        return new HazardText(
            $"The program adds `{added}` to its setting for {c.Holding.Name} on {c.Machine.Name}, so it would "
                + $"look for it in `{c.Survey.Show(c.Place with { Path = $"{c.Place.Path}/{added}" })}`.",
            $"End the path with `/{added}`."
        );
    }
}
