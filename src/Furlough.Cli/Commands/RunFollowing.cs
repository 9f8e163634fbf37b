using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Spectre.Console;

namespace Furlough.Cli.Commands;

/// <summary>Follows a run to its end, on a screen or line by line.</summary>
internal static class RunFollowing
{
    private const int MostBars = 12;

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
            RunText.Show(run, await client.RelocationsAsync(number, null, stop));
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
            if (!json && RunText.HeldUpBy(run) is { } why && RunText.Stem(why) != heldUp)
            {
                heldUp = RunText.Stem(why);
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
                        $"run {number}  {Markup.Escape(RunText.Counts(run) + (run.HeldUp is { } held ? $"\n{held.Text}" : ""))}";
                    var rows = await client.RelocationsAsync(number, null, stop);
                    whole.Value = 100.0 * rows.Count(r => r.State.IsAtRest()) / Math.Max(1, rows.Count);
                    Show(progress, tasks, rows);
                    if (IsOver(run))
                        return run;
                    await Task.Delay(500, stop);
                }
            });

    /// <summary>A bar for each relocation that moves, as many as a screen takes.</summary>
    private static void Show(
        ProgressContext progress,
        Dictionary<long, ProgressTask> bars,
        IReadOnlyList<RelocationView> rows
    )
    {
        foreach (var r in rows.Where(r => r.Progress is not null || bars.ContainsKey(r.Number)))
        {
            if (r.State.IsAtRest())
            {
                if (bars.Remove(r.Number, out var over))
                    progress.RemoveTask(over);
                continue;
            }
            var p = r.Progress;
            var line = Markup.Escape(
                $"{r.Machine}  {HoldingName.InWords(r.Holding, r.Account)}  {(p?.Step ?? r.Step)?.Word()}  "
                    + $"{(p is null ? "" : $"{Words.Size(p.BytesPerSecond)}/s")}"
            );
            if (!bars.TryGetValue(r.Number, out var bar))
            {
                if (bars.Count >= MostBars)
                    continue;
                bars[r.Number] = bar = progress.AddTask(line);
            }
            bar.Description = line;
            bar.Value = p is null or { BytesTotal: 0 } ? 0 : Math.Min(100, 100.0 * p.BytesDone / p.BytesTotal);
        }
    }

    private static bool IsOver(RunView run) =>
        run.WaitsForPerson
        || run.State == RunState.Proposed
        || run is { State: RunState.Ended, HeldUp: not null }
        || run.State != RunState.Running && run.Counts.Keys.All(k => Words.Find<RelocationState>(k)!.Value.IsAtRest());
}
