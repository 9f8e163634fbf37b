using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>What people may ask of relocations and runs, in which states.</summary>
public sealed class RequestTests
{
    /// <summary>By the design: "retry" of what failed, was undone, refused or skipped, and so on.</summary>
    private static readonly Dictionary<string, RelocationState[]> Allowed = new()
    {
        ["retry"] =
        [
            RelocationState.Failed,
            RelocationState.BackedOut,
            RelocationState.Refused,
            RelocationState.Skipped,
        ],
        ["skip"] =
        [
            RelocationState.Planned,
            RelocationState.Queued,
            RelocationState.Failed,
            RelocationState.BackedOut,
            RelocationState.Refused,
        ],
        ["return"] = [RelocationState.Switched, RelocationState.Finished],
        ["gather"] = [RelocationState.Switched, RelocationState.Finished, RelocationState.Returned],
        ["back-out"] =
        [
            RelocationState.Queued,
            RelocationState.UnderWay,
            RelocationState.Waiting,
            RelocationState.Returning,
        ],
    };

    [Theory]
    [InlineData("retry")]
    [InlineData("skip")]
    [InlineData("return")]
    [InlineData("gather")]
    [InlineData("back-out")]
    public async Task A_request_is_met_in_its_states_and_refused_in_all_others_without_changing_anything(string verb)
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var docket = (await desk.FetchAsync())[0];
        await desk.SayAsync(docket, RelocationState.UnderWay);
        foreach (var state in Enum.GetValues<RelocationState>())
        {
            await office.PutAsync(docket.Relocation, state, Live.Source, RelocationState.Switched);
            var before = office.Everything();
            if (Allowed[verb].Contains(state))
            {
                await AskAsync(office, verb, docket.Relocation);
                (await office.HistoryAsync($"relocation {docket.Relocation}"))[^1]
                    .ShouldSatisfyAllConditions(
                        h => h.Event.Word().ShouldBe(verb),
                        h => h.By.ShouldBe("mara.ostby"),
                        h => h.From.ShouldBe(state.Word())
                    );
            }
            else
            {
                var refused = await Should.ThrowAsync<RefusedException>(() =>
                    AskAsync(office, verb, docket.Relocation)
                );
                (refused.Kind, refused.Code).ShouldBe((RefusalKind.Conflict, "state-refused"), $"{state}");
                refused.Message.ShouldContain($"Relocation {docket.Relocation} is {state.Word()} and cannot be");
                foreach (var possible in Allowed[verb])
                    refused.Remedy.ShouldNotBeNull().ShouldContain(possible.Word());
                office.Everything().ShouldBe(before, $"{verb} of {state}");
            }
        }
    }

    [Fact]
    public async Task What_failed_at_its_target_can_be_returned_and_what_failed_at_its_source_cannot()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var number = (await desk.FetchAsync())[0].Relocation;
        await office.PutAsync(number, RelocationState.Failed, Live.Source, RelocationState.Queued);
        await Should.ThrowAsync<RefusedException>(() => AskAsync(office, "return", number));
        await office.PutAsync(number, RelocationState.Failed, Live.Target, RelocationState.Queued);
        await AskAsync(office, "return", number);
        (await office.RelocationAsync(number)).State.ShouldBe(RelocationState.Returning);
    }

    [Fact]
    public async Task A_run_is_steered_only_as_its_state_allows_and_the_refusal_says_who_did_what_last()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        var run = (await office.StartAsync(Office.Brief())).Number;
        var steering = office.Part<Steering>();
        await steering.PauseAsync(run, default, "kit.sorrel", Office.Stop);
        var twice = await Should.ThrowAsync<RefusedException>(() =>
            steering.PauseAsync(run, default, "mara.ostby", Office.Stop)
        );
        twice.Message.ShouldBe($"Run {run} is paused and cannot be paused: run paused by kit.sorrel at 09:00:00Z.");
        twice.Remedy.ShouldBe("It must be running.");
        await steering.ResumeAsync(run, default, "mara.ostby", Office.Stop);
        await steering.HaltAsync(run, default, "mara.ostby", Office.Stop);
        foreach (
            var change in (Func<Task>[])
                [
                    () => steering.PauseAsync(run, default, "mara.ostby", Office.Stop),
                    () => steering.ResumeAsync(run, default, "mara.ostby", Office.Stop),
                    () => steering.ApproveAsync(run, default, "mara.ostby", Office.Stop),
                ]
        )
            (await Should.ThrowAsync<RefusedException>(change)).Code.ShouldBe("run-state-refused");
    }

    [Fact]
    public async Task Who_acts_on_a_run_that_someone_changed_since_is_told_who()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        var run = (await office.StartAsync(Office.Brief())).Number;
        var (_, tag) = await office.Part<RunDesk>().OneAsync(run, Office.Stop);
        await office.Part<Steering>().PauseAsync(run, new SeenRun(tag), "kit.sorrel", Office.Stop);
        var changed = await Should.ThrowAsync<RefusedException>(() =>
            office.Part<Steering>().HaltAsync(run, new SeenRun(tag), "mara.ostby", Office.Stop)
        );
        (changed.Kind, changed.Code).ShouldBe((RefusalKind.Changed, "run-changed"));
        changed.Message.ShouldContain("run paused by kit.sorrel");
        (await office.RunAsync(run)).State.ShouldBe(RunState.Paused);
    }

    private static Task AskAsync(Office office, string verb, long number)
    {
        var acting = office.Part<Acting>();
        return verb switch
        {
            "retry" => acting.RetryAsync(number, "mara.ostby", Office.Stop),
            "skip" => acting.SkipAsync(number, "it is not needed", "mara.ostby", Office.Stop),
            "return" => acting.ReturnAsync(number, "mara.ostby", Office.Stop),
            "gather" => acting.GatherAsync(number, "mara.ostby", Office.Stop),
            _ => acting.BackOutAsync(number, "mara.ostby", Office.Stop),
        };
    }
}
