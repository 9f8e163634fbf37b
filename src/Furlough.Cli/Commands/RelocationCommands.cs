using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough relocation`.</summary>
internal static class RelocationCommands
{
    private static readonly Argument<long> Number = new("number") { Description = "Number of the relocation" };
    internal static readonly Option<bool> Follow = new("--follow") { Description = "Wait until it has ended" };

    internal static Command Make() =>
        new Command("relocation", "Show and steer relocations of single holdings")
        {
            ListCommand(),
            ShowCommand(),
            FallBack(),
            Skip(),
            Act("Numbers of the relocations", "begin", "Start attended relocations: someone is at the machine"),
            Act(
                "Numbers of the relocations",
                "back-out",
                "Cancel relocations that are under way, before the switch, and put everything back"
            ),
            Act(
                "Numbers of the relocations",
                "retry",
                "Retry relocations that failed, were refused or were backed out"
            ),
            Act(
                "Numbers of the relocations",
                "return",
                "Move holdings back to their former places, with what was added since"
            ),
            Act(
                "Numbers of the relocations",
                "gather",
                "Copy files that reappeared at former places into the folders where the holdings live now; nothing is removed"
            ),
        };

    private static Command ListCommand()
    {
        var run = new Option<long?>("--run") { Description = "Only those of a run" };
        var machine = new Option<string?>("--machine") { Description = "Only those of a machine" };
        var list = new Command("list", "List relocations") { run, machine };
        list.Calls(
            async (client, parsed, stop) =>
            {
                var rows = await client.RelocationsAsync(parsed.GetValue(run), parsed.GetValue(machine), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(rows);
                else
                    Terminal.Table(
                        [
                            ">no.",
                            "machine",
                            "account",
                            "holding",
                            "state",
                            "step",
                            "live at",
                            ">data",
                            "source",
                            "target",
                            "failure",
                        ],
                        rows.Select(r =>
                            (string[])
                                [
                                    $"{r.Number}",
                                    r.Machine,
                                    r.Account,
                                    r.Holding,
                                    r.State.Word(),
                                    r.State.IsAtRest() ? "" : r.Step?.Word() ?? "",
                                    r.Live.Word(),
                                    Words.Size(r.DataBytes),
                                    r.Source,
                                    r.Target,
                                    r.Failure?.Code ?? "",
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
        var show = new Command("show", "Show a relocation: places, settings before and after, failure") { Number };
        show.Calls(
            async (client, parsed, stop) =>
                Show(await client.RelocationAsync(parsed.GetValue(Number), stop), parsed.GetValue(Connection.Json))
        );
        return show;
    }

    /// <summary>A command that asks for something on relocations, and follows them to their ends if wanted.</summary>
    internal static Command Act(string what, string name, string description)
    {
        var numbers = new Argument<long[]>("number") { Description = what, Arity = ArgumentArity.OneOrMore };
        var command = new Command(name, description) { numbers, Follow };
        command.Calls(
            async (client, parsed, stop) =>
            {
                List<RelocationView> views = [];
                var refusal = ExitCode.Done;
                foreach (var number in parsed.GetValue(numbers)!)
                {
                    try
                    {
                        views.Add(await client.ActAsync(number, name, stop));
                    }
                    catch (ServiceException refused)
                    {
                        refusal = Terminal.Fail(refused);
                    }
                }
                if (views.Count == 0)
                    return refusal;
                if (parsed.GetValue(Follow))
                    for (var i = 0; i < views.Count; i++)
                        views[i] = await FollowAsync(client, views[i], name == "back-out", stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json<object>(parsed.GetValue(numbers)!.Length == 1 ? views[0] : views);
                else
                    foreach (var view in views)
                        Say(view, name);
                // What waits has not failed, and what was asked to be backed out and is has not either.
                var failed = views.Count(v =>
                    v.Failure is not null
                    && v.State.IsAtRest()
                    && !(name == "back-out" && v.State == RelocationState.BackedOut)
                );
                if (failed == views.Count)
                    return ExitCode.Failed;
                if (name == "begin" && !parsed.GetValue(Follow))
                    return refusal == ExitCode.Done ? ExitCode.Done : ExitCode.DoneInPart;
                return failed > 0 || refusal != ExitCode.Done ? ExitCode.DoneInPart
                    : views.Any(v => v.State == RelocationState.Waiting) ? ExitCode.WaitsForPerson
                    : ExitCode.Done;
            }
        );
        return command;
    }

    private static Command Skip()
    {
        var reason = new Option<string>("--reason") { Description = "Why it will not be done", Required = true };
        var command = new Command("skip", "Skip a relocation, with a reason; the data stays where it is")
        {
            Number,
            reason,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var view = await client.SkipAsync(parsed.GetValue(Number), parsed.GetValue(reason)!, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(view);
                else
                    Say(view);
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static Command FallBack()
    {
        var missingFrom = new Option<DateTimeOffset?>("--missing-from")
        {
            Description =
                "Accept that work done since this time is missing; left out, the time is shown and nothing is done",
        };
        var command = new Command("fall-back", "Make the original live again after its target was lost")
        {
            Number,
            missingFrom,
            Follow,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var view = await client.FallBackAsync(parsed.GetValue(Number), parsed.GetValue(missingFrom), stop);
                if (parsed.GetValue(Follow))
                    view = await FollowAsync(client, view, false, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(view);
                else
                    Say(view);
                return view.State == RelocationState.Waiting ? ExitCode.WaitsForPerson
                    : view.Failure is not null ? ExitCode.Failed
                    : ExitCode.Done;
            }
        );
        return command;
    }

    internal static void Say(RelocationView view, string name = "") =>
        Terminal.Line(
            name == "begin" && view.State is RelocationState.Queued or RelocationState.Waiting
                ? $"Relocation {view.Number}, {HoldingName.InWords(view.Holding, view.Account)} on {view.Machine}: "
                    + $"may begin now. Next: furlough relocation show {view.Number}"
            : view.Failure is { } failure ? failure.InFull()
            : $"Relocation {view.Number}, {HoldingName.InWords(view.Holding, view.Account)} on {view.Machine}: "
                + $"{view.State.Word()}, {Lives(view)}."
        );

    private static string Lives(RelocationView view) =>
        view.Live != Live.Unknown
            ? $"{view.Method.Lives()} its {view.Live.Word()}"
            : $"{view.Machine} is silent since {view.AsOf:u}, so it is not known where the data lives; "
                + "what was asked for is done when it is seen again";

    internal static async Task<RelocationView> FollowAsync(
        FurloughClient client,
        RelocationView asked,
        bool waitsToo,
        CancellationToken stop
    )
    {
        for (var now = asked; ; await Task.Delay(500, stop), now = await client.RelocationAsync(asked.Number, stop))
            if (now.State.IsAtRest() || (now.State == RelocationState.Waiting && !waitsToo))
                return now;
    }

    private static int Show(RelocationView r, bool json)
    {
        if (json)
        {
            Terminal.Json(r);
            return ExitCode.Done;
        }
        Terminal.Line(
            $"Relocation {r.Number}  {HoldingName.InWords(r.Holding, r.Account)} on {r.Machine} ({r.Room})  "
                + $"{r.State.Word()}{(r.State.IsAtRest() || r.Step is null ? "" : ", " + r.Step.Value.Word())}"
        );
        Terminal.Line($"  source   {r.Source}");
        Terminal.Line($"  target   {r.Target}");
        Terminal.Line($"  live at  {r.Live.Word()}, as of {r.AsOf:u}");
        Terminal.Line(
            !r.Method.MovesData()
                ? $"  size     only settings change{(r.Method == Method.RepointOnly ? $"; the data stays where it is" : "")}"
                : $"  size     {r.Files:N0} files, {Words.Size(r.DataBytes)}; method "
                    + $"{r.Method.Word()}{(r.HasOriginal ? "; an original is kept" : "")}"
        );
        if (r.Forecast is { } forecast && r.Method.MovesData())
            Terminal.Line(
                $"  forecast {PlanCommands.Time(forecast.Work)}, outage {PlanCommands.Time(forecast.Outage)}"
            );
        if (r.Times.Count > 0 && r.Method.MovesData())
        {
            var steps = r
                .Times.Where(t => t.Took >= TimeSpan.FromSeconds(0.5))
                .Select(t => $"{t.Step.Word()} {Words.Length(t.Took)}");
            Terminal.Line(
                $"  took     {Words.Length(TimeSpan.FromTicks(r.Times.Sum(t => t.Took.Ticks)))}: {string.Join(", ", steps)}"
            );
        }
        foreach (var p in r.Pointers)
            Terminal.Line(
                $"  setting  {p.Address}\n           before {p.Before.Text ?? "(nothing)"}\n           after  {p.After.Text ?? "(nothing)"}"
            );
        foreach (var note in r.Notes)
            Terminal.Line($"  note     {note}");
        if (r.Progress is { } p2)
            Terminal.Line(
                $"  now      {p2.Step.Word()}: {p2.FilesDone:N0} of {p2.FilesTotal:N0} files, "
                    + $"{Words.Size(p2.BytesDone)} of {Words.Size(p2.BytesTotal)}, {Words.Size(p2.BytesPerSecond)}/s"
            );
        if (r.Failure is { } failure)
            Terminal.Line($"\n{failure.InFull()}");
        return ExitCode.Done;
    }
}
