using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

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
                                    RunText.Counts(r),
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
                    RunText.Show(run, await client.RelocationsAsync(run.Number, null, stop));
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
                await RunFollowing.FollowAsync(client, parsed.GetValue(Number), parsed.GetValue(Connection.Json), stop)
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
                    Terminal.Line($"Run {run.Number} is {run.State.Word()}: {RunText.Counts(run)}.");
                return ExitCode.Done;
            }
        );
        return command;
    }
}
