using System.Diagnostics;
using System.Globalization;
using Furlough.Bench;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Plans;
using Furlough.Planning.Suggestions;

// Measures planning and suggesting over large made-up fleets: 12 holdings on each machine.
const long GB = 1_000_000_000;
var now = new DateTimeOffset(2026, 11, 1, 0, 0, 0, TimeSpan.Zero);
var brief = BriefReader.Read(
    """
    furlough-brief: 1
    title: Everything
    machines: all
    volumes: {roomy: {attached: internal, system: false}}
    relocate:
      - {folders: [Documents, Downloads, Music, Pictures, Videos, Desktop], onto: roomy, path: "People/{account}/{folder}", method: warm}
    reserve: {system: 20%, others: 10%}
    waves: {pilot: 10 machines, early: 25% of machines, everybody: the rest}
    """
);

Console.WriteLine("| what | machines | relocations | seconds | most memory |");
Console.WriteLine("|---|---:|---:|---:|---:|");
foreach (var machines in (int[])[1_000, 10_000])
{
    var fleet = MadeUpFleet.Of(machines, now);
    Planner.Make(brief, fleet.Take(100), Experience.None, now);
    var watch = Stopwatch.StartNew();
    var plan = Planner.Make(brief, fleet, Experience.None, now);
    var digest = Planner.Digest(plan);
    Row("plan with its digest", machines, plan.Relocations.Count, watch.Elapsed);
    GC.KeepAlive(digest);
}
{
    var fleet = MadeUpFleet.Of(1_000, now);
    var wish = new SpaceWish(new MachineChoice([], [], []), 60 * GB, null, new ReserveAmount(0.1, null), Weights.Usual);
    var watch = Stopwatch.StartNew();
    var suggestions = new FleetSuggestion(wish, Experience.None).Of(fleet);
    var gap = suggestions.Max(s => s.Gap ?? 0).ToString("0.0%", CultureInfo.InvariantCulture);
    Row(
        $"suggestion ({suggestions.Count(s => s is { Reached: true, Gap: 0 })} proven the best, "
            + $"{suggestions.Count(s => !s.Reached)} out of reach, "
            + $"{suggestions.Count(s => s.Gap > 0)} with a gap of {gap} at most)",
        1_000,
        suggestions.Sum(s => s.Moves.Count),
        watch.Elapsed
    );
}

static void Row(string what, int machines, int relocations, TimeSpan took) =>
    TableRow.Print(
        $"{what}",
        $"{machines:N0}",
        $"{relocations:N0}",
        $"{took.TotalSeconds:0.00}",
        $"{Process.GetCurrentProcess().PeakWorkingSet64 / 1e6:0} MB"
    );
