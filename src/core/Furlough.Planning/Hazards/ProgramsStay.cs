using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Programs are installed at the former place of an install path: they stay there.</summary>
public sealed class ProgramsStay : IHazard
{
    private const int Shown = 8;

    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "programs-stay",
            Severity.Advice,
            "Programs are installed at the former place of an install path: they stay there.",
            "Only what is installed from now on goes to the new place; install anew what shall move, or relocate it with `apps` where the system lets it.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Method != Method.Setting
        || c.Holding.Installed.Where(name => !IsRelocated(c, name)).ToList() is not { Count: > 0 } there
            ? null
            : c.Say(
                Entry,
                $"What is installed at `{c.Holding.PathShown}` on {c.Machine.Name} stays there: {string.Join(", ", there.Take(Shown))}{(there.Count > Shown ? $" and {Words.Count(there.Count - Shown, "more", "more")}" : "")}."
            );

    /// <summary>The same brief relocates it as an app.</summary>
    private static bool IsRelocated(HazardContext c, string name) =>
        c.Survey.Holdings.FirstOrDefault(h => h.Name == new HoldingName("", HoldingKind.App, name))
            is { Immovable: null } app
        && c.Brief.Relocate.Any(i => i.Of(c.Machine.Name, c.Survey).Contains(app));
}
