using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Spectre.Console;

namespace Furlough.Cli.Commands;

/// <summary>`furlough run`.</summary>
internal static class RunCommands
{
    private static readonly Argument<long> Number = new("number") { Description = "Number of the run" };

    internal static Command Make() =>
        new Command("run", "Start and steer runs: plans that are carried out")
        {
            StartCommand(),
            Steer("approve", "Let a proposed run begin, as a second person"),
            ListCommand(),
            ShowCommand(),
            FollowCommand(),
            Again(),
            Skip(),
            Steer(
                "pause",
                "Pause a run: start nothing further. Accounts that are locked out already can sign in again first"
            ),
            Steer("resume", "Resume a paused run"),
            Steer("halt", "Halt a run for good: start nothing further, finish what is switched, put the rest back"),
        };

    private static Command StartCommand()
    {
        var plan = new Option<long>("--plan") { Description = "Number of the plan to be carried out", Required = true };
        var start = new Command("start", "Start a run: carry a plan out") { plan };
        start.Calls(
            async (client, parsed, stop) =>
            {
                var run = await client.StartRunAsync(parsed.GetValue(plan), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(run);
                else if (run.State == RunState.Proposed)
                    Terminal.Line(
                        $"Run {run.Number} is proposed: {Words.Count(run.Relocations, "relocation")} on "
                            + $"{Words.Count(run.Machines, "machine")}. Its brief requires a second person's approval. "
                            + $"Next, for someone else: furlough run approve {run.Number}"
                    );
                else
                    Terminal.Line(
                        $"Run {run.Number} started: {Words.Count(run.Relocations, "relocation")} on "
                            + $"{Words.Count(run.Machines, "machine")}. Next: furlough run follow {run.Number}"
                    );
                return ExitCode.Done;
            }
        );
        return start;
    }

    private static Command ListCommand()
    {
        var list = new Command("list", "List runs, the newest first; at most 200") { Lists.Before };
        list.Calls(
            async (client, parsed, stop) =>
            {
                var runs = await client.RunsAsync(parsed.GetValue(Lists.Before), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(runs);
                else
                    Terminal.Table(
                        [">run", "title", "state", "started", "by", ">machines", ">data", "relocations"],
                        runs.Select(r =>
                            (string[])
                                [
                                    $"{r.Number}",
                                    r.Title,
                                    r.State.Word(),
                                    $"{r.StartedAt:u}",
                                    r.StartedBy,
                                    $"{r.Machines}",
                                    Words.Size(r.DataBytes),
                                    Counts(r),
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return list;
    }

    private static Command ShowCommand()
    {
        var show = new Command("show", "Show a run and its failures") { Number };
        show.Calls(
            async (client, parsed, stop) =>
            {
                var run = await client.RunAsync(parsed.GetValue(Number), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(run);
                else
                    Summary(run, await client.RelocationsAsync(run.Number, null, stop));
                return ExitCode.Done;
            }
        );
        return show;
    }

    private static Command FollowCommand()
    {
        var follow = new Command("follow", "Follow a run to its end") { Number };
        follow.Calls(
            async (client, parsed, stop) =>
                await FollowAsync(client, parsed.GetValue(Number), parsed.GetValue(Connection.Json), stop)
        );
        return follow;
    }

    private static Option<string?> Cause() =>
        new("--cause") { Description = "Only what failed for this cause, by its code" };

    private static Command Again()
    {
        var cause = Cause();
        var command = new Command("retry", "Retry what failed in a run") { Number, cause };
        command.Calls(
            async (client, parsed, stop) =>
                Say(
                    await client.RetryFailedAsync(parsed.GetValue(Number), parsed.GetValue(cause), stop),
                    "tried again",
                    $"furlough run follow {parsed.GetValue(Number)}",
                    parsed.GetValue(Connection.Json)
                )
        );
        return command;
    }

    private static Command Skip()
    {
        var cause = Cause();
        var reason = new Option<string>("--reason") { Description = "Why it will not be done", Required = true };
        var command = new Command("skip", "Skip what failed in a run, with a reason; the data stays where it is")
        {
            Number,
            cause,
            reason,
        };
        command.Calls(
            async (client, parsed, stop) =>
                Say(
                    await client.SkipFailedAsync(
                        parsed.GetValue(Number),
                        parsed.GetValue(cause),
                        parsed.GetValue(reason)!,
                        stop
                    ),
                    "skipped",
                    $"furlough run show {parsed.GetValue(Number)}",
                    parsed.GetValue(Connection.Json)
                )
        );
        return command;
    }

    private static int Say(ManyDone done, string what, string next, bool json)
    {
        if (json)
            Terminal.Json(done);
        else
        {
            Terminal.Line(
                $"{Words.Count(done.Relocations.Count, "relocation is", "relocations are")} "
                    + $"{what}{(done.Relocations.Count == 0 ? "." : $". Next: {next}")}"
            );
            foreach (var refusal in done.Refusals)
                Terminal.Line($"  not {what}: {refusal}");
        }
        return done.Refusals.Count == 0 ? ExitCode.Done
            : done.Relocations.Count == 0 ? ExitCode.Refused
            : ExitCode.DoneInPart;
    }

    private static Command Steer(string verb, string description)
    {
        var command = new Command(verb, description) { Number };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var run = await client.SteerRunAsync(parsed.GetValue(Number), verb, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(run);
                else
                    Terminal.Line($"Run {run.Number} is {run.State.Word()}: {Counts(run)}.");
                return ExitCode.Done;
            }
        );
        return command;
    }

    /// <summary>Follows a run; 0 all switched, 3 some failed, 1 none switched, 4 waits for a person.</summary>
    internal static async Task<int> FollowAsync(FurloughClient client, long number, bool json, CancellationToken stop)
    {
        var run =
            Terminal.Live && !json
                ? await FollowLiveAsync(client, number, stop)
                : await FollowPlainAsync(client, number, json, stop);
        if (json)
            Terminal.Json(run);
        else
        {
            Terminal.Line();
            Summary(run, await client.RelocationsAsync(number, null, stop));
        }
        if (run.State is RunState.Running or RunState.Paused or RunState.Proposed)
            return ExitCode.WaitsForPerson;
        var done = run.Counts.Where(c => c.Key is "switched" or "finished").Sum(c => c.Value);
        return done == run.Relocations && run.Blocked.Count == 0 ? ExitCode.Done
            : done > 0 ? ExitCode.DoneInPart
            : ExitCode.Failed;
    }

    private static async Task<RunView> FollowPlainAsync(
        FurloughClient client,
        long number,
        bool json,
        CancellationToken stop
    )
    {
        Dictionary<long, string> said = [];
        string? heldUp = null;
        for (; ; )
        {
            var run = await client.RunAsync(number, stop);
            foreach (var r in json ? [] : await client.RelocationsAsync(number, null, stop))
            {
                var now = $"{r.State.Word()}{(r.State.IsAtRest() || r.Step is null ? "" : " " + r.Step.Value.Word())}";
                if (said.GetValueOrDefault(r.Number) == now || r.State == RelocationState.Planned)
                    continue;
                said[r.Number] = now;
                Terminal.Line($"{r.Machine}  {r.Number}  {HoldingName.InWords(r.Holding, r.Account)}  {now}");
            }
            if (IsOver(run))
                return run;
            if (!json && HeldUpBy(run) is { } why && Stem(why) != heldUp)
            {
                heldUp = Stem(why);
                Terminal.Line(why);
            }
            await Task.Delay(1_000, stop);
        }
    }

    private static Task<RunView> FollowLiveAsync(FurloughClient client, long number, CancellationToken stop) =>
        Terminal
            .Out.Progress()
            .AutoClear(true)
            .Columns(
                new TaskDescriptionColumn { Alignment = Justify.Left },
                new ProgressBarColumn
                {
                    Width = 30,
                    CompletedStyle = Style.Plain,
                    FinishedStyle = Style.Plain,
                },
                new PercentageColumn { CompletedStyle = Style.Plain }
            )
            .StartAsync(async progress =>
            {
                var whole = progress.AddTask($"run {number}");
                Dictionary<long, ProgressTask> tasks = [];
                for (; ; )
                {
                    var run = await client.RunAsync(number, stop);
                    whole.Description =
                        $"run {number}  {Markup.Escape(Counts(run) + (run.HeldUp is { } held ? $"\n{held.Text}" : ""))}";
                    var rows = await client.RelocationsAsync(number, null, stop);
                    whole.Value = 100.0 * rows.Count(r => r.State.IsAtRest()) / Math.Max(1, rows.Count);
                    foreach (var r in rows.Where(r => r.Progress is not null || tasks.ContainsKey(r.Number)))
                    {
                        if (r.State.IsAtRest())
                        {
                            if (tasks.Remove(r.Number, out var over))
                                progress.RemoveTask(over);
                            continue;
                        }
                        var p = r.Progress;
                        var line = Markup.Escape(
                            $"{r.Machine}  {HoldingName.InWords(r.Holding, r.Account)}  "
                                + $"{(p?.Step ?? r.Step)?.Word()}  "
                                + $"{(p is null ? "" : $"{Words.Size(p.BytesPerSecond)}/s")}"
                        );
                        if (!tasks.TryGetValue(r.Number, out var task))
                        {
                            if (tasks.Count >= 12)
                                continue;
                            tasks[r.Number] = task = progress.AddTask(line);
                        }
                        task.Description = line;
                        task.Value = p is null or { BytesTotal: 0 }
                            ? 0
                            : Math.Min(100, 100.0 * p.BytesDone / p.BytesTotal);
                    }
                    if (IsOver(run))
                        return run;
                    await Task.Delay(500, stop);
                }
            });

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

    private static bool IsOver(RunView run) =>
        run.WaitsForPerson
        || run.State == RunState.Proposed
        || run is { State: RunState.Ended, HeldUp: not null }
        || run.State != RunState.Running && run.Counts.Keys.All(k => Words.Find<RelocationState>(k)!.Value.IsAtRest());

    /// <summary>What holds a run up, with the command that lets it go on without.</summary>
    private static string? HeldUpBy(RunView run)
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
    private static string Stem(string text) => string.Concat(text.Where(c => !char.IsDigit(c)));

    private static string Counts(RunSummary run) => Counts(run.Counts);

    private static string Counts(RunView run) => Counts(run.Counts);

    private static string Counts(IReadOnlyDictionary<string, int> counts) =>
        string.Join(", ", counts.OrderBy(c => c.Key, StringComparer.Ordinal).Select(c => $"{c.Value} {c.Key}"));

    private static void Summary(RunView run, IReadOnlyList<RelocationView> rows)
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
        foreach (var (group, waits) in run.Failures.Select(g => (g, false)).Concat(run.Waits.Select(g => (g, true))))
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
                Terminal.Line(
                    $"  and {group.Relocations.Count - most} more: furlough relocation list --run {run.Number}"
                );
            if (!waits && group.Relocations.Count > 1)
                Terminal.Line($"  all of them: furlough run retry {run.Number} --cause {group.Code}");
        }
    }
}
