using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>What is said of a run.</summary>
internal static class RunText
{
    internal static void Show(RunView run, IReadOnlyList<RelocationView> rows)
    {
        Terminal.Line(
            $"Run {run.Number}  {run.Title}  {run.State.Word()}  {Counts(run)}; {Words.Size(run.DoneBytes)} of "
                + $"{Words.Size(run.DataBytes)} at the target."
        );
        if (run.Blocked.Count > 0)
            Terminal.Line(
                $"{Words.Count(run.Blocked.Sum(g => g.Relocations.Count), "more relocation is", "more relocations are")} "
                    + "blocked by the plan: "
                    + $"{string.Join(", ", run.Blocked.Select(g => $"{g.Relocations.Count} {g.Code}"))}. "
                    + $"`furlough plan show {run.Plan}` says why; "
                    + $"`furlough run skip {run.Number} --cause {run.Blocked[0].Code} --reason TEXT` accepts that."
            );
        if (run.State == RunState.Proposed)
            Terminal.Line(
                $"{run.StartedBy} started it, and its brief requires a second person's approval: furlough run approve {run.Number}"
            );
        if (run.ApprovedBy is { } approver)
            Terminal.Line($"Started by {run.StartedBy}, approved by {approver}.");
        if (run.Hours is { } hours)
            Terminal.Line(
                run.HoursOpen
                    ? $"Its allowed hours last until {hours.To:u}."
                    : $"Outside its allowed hours; the next ones are {hours.From:u} to {hours.To:u}."
            );
        else if (!run.HoursOpen)
            Terminal.Line("Its allowed hours are over: no further ones are to come.");
        if (run.Originals.Count > 0)
            Terminal.Line($"Free only when they are discarded: {run.Originals}");
        if (HeldUpBy(run) is { } heldUp)
            Terminal.Line(heldUp);
        if (Compared(rows) is { } compared)
            Terminal.Line(compared);
        foreach (var group in run.Failures)
            Show(run, group, rows, waits: false);
        foreach (var group in run.Waits)
            Show(run, group, rows, waits: true);
    }

    /// <summary>Relocations that failed, or wait, for one cause.</summary>
    private static void Show(RunView run, FailureGroup group, IReadOnlyList<RelocationView> rows, bool waits)
    {
        Terminal.Line(
            $"\n{(waits ? "waiting, " : "")}{group.Code}: "
                + $"{Words.Count(group.Relocations.Count, "relocation")} on "
                + $"{string.Join(", ", group.Machines.Take(8))}{(group.Machines.Count > 8 ? ", …" : "")}"
        );
        const int most = 4;
        foreach (var r in rows.Where(r => r.Failure?.Code == group.Code && r.State.IsAtRest() != waits).Take(most))
        {
            Terminal.Line($"  {r.Machine}  {r.Number}  {HoldingName.InWords(r.Holding, r.Account)}");
            foreach (var sentence in r.Failure!.Sentences())
                Terminal.Paragraph(4, sentence);
        }
        if (group.Relocations.Count > most)
            Terminal.Line($"  and {group.Relocations.Count - most} more: furlough relocation list --run {run.Number}");
        if (!waits && group.Relocations.Count > 1)
            Terminal.Line($"  all of them: furlough run retry {run.Number} --cause {group.Code}");
    }

    /// <summary>The forecast beside what really happened, of relocations that nothing cut short.</summary>
    private static string? Compared(IReadOnlyList<RelocationView> rows)
    {
        var both = rows.Where(r =>
                r is { Forecast: not null, Times.Count: > 0 }
                && r.Method.MovesData()
                && r.State is RelocationState.Switched or RelocationState.Finished
            )
            .Select(r => (r.Forecast!.Work, Took: TimeSpan.FromTicks(r.Times.Sum(t => t.Took.Ticks))))
            .ToList();
        if (both.Count == 0)
            return null;
        var (likely, took) = (
            Span.Sum(both.Select(b => b.Work)).Likely,
            TimeSpan.FromTicks(both.Sum(b => b.Took.Ticks))
        );
        var near = both.Count(b => (b.Took - b.Work.Likely).Duration() <= 0.2 * b.Work.Likely);
        return $"{Words.Count(both.Count, "relocation")} took {Words.Length(took)} of machine time; the forecast was "
            + $"{Words.Length(likely)}, within 20% for {near} of {both.Count} and below the high figure for "
            + $"{both.Count(b => b.Took <= b.Work.High)}.";
    }

    /// <summary>What holds a run up, with the command that lets it go on without.</summary>
    internal static string? HeldUpBy(RunView run)
    {
        const int most = 5;
        if (run.HeldUp is not { } held)
            return null;
        if (held.Relocations.Count == 0)
            return held.Text;
        var skips = held.Relocations.Take(most).Select(r => $"`furlough relocation skip {r} --reason TEXT`");
        var rest = held.Relocations.Count > most ? " and so on" : "";
        return $"{held.Text} To go on without: {string.Join(", ", skips)}{rest}.";
    }

    /// <summary>The sentence without its figures, which change while the cause stays.</summary>
    internal static string Stem(string text) => string.Concat(text.Where(c => !char.IsDigit(c)));

    internal static string Counts(RunSummary run) => Counts(run.Counts);

    internal static string Counts(RunView run) => Counts(run.Counts);

    private static string Counts(IReadOnlyDictionary<string, int> counts) =>
        string.Join(", ", counts.OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => $"{c.Value} {c.Key}"));
}
