using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.Machines;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>How runs go forward.</summary>
public sealed class RunControlTests
{
    [Fact]
    public async Task A_wave_begins_when_the_one_before_is_at_rest_and_the_run_ends_with_the_last()
    {
        await using var office = await Office.OpenAsync();
        var (one, two) = (await office.DeskAsync("map-01"), await office.DeskAsync("map-02"));
        var run = (await office.StartAsync(Office.Brief("waves: {pilot: 1 machines, everybody: the rest}"))).Number;
        var pilot = await one.FetchAsync();
        pilot.Count.ShouldBe(2);
        (await two.FetchAsync()).ShouldBeEmpty();
        await one.SwitchAsync(pilot[0]);
        (await two.FetchAsync()).ShouldBeEmpty("one of the pilot's is still under way");
        await one.FailAsync(pilot[1]);
        var rest = await two.FetchAsync();
        rest.Count.ShouldBe(2);
        foreach (var docket in rest)
            await two.SwitchAsync(docket);
        var ended = await office.RunAsync(run);
        (ended.State, ended.EndedAt).ShouldBe((RunState.Ended, office.Clock.GetUtcNow()));
        (await office.HistoryAsync($"run {run}"))
            .Select(h => h.Event)
            .ShouldBe([HistoryEvent.RunStarted, HistoryEvent.WaveBegun, HistoryEvent.RunEnded]);
    }

    [Fact]
    public async Task Too_many_failures_halt_a_run_and_what_no_machine_has_begun_is_called_back()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var later = await office.DeskAsync("map-02");
        var run = (
            await office.StartAsync(
                Office.Brief("waves: {pilot: 1 machines, everybody: the rest}\nhalt-after: 1 failures")
            )
        ).Number;
        var dockets = await desk.FetchAsync();
        await desk.SayAsync(dockets[1], RelocationState.UnderWay);
        await desk.FailAsync(dockets[0]);
        (await office.RunAsync(run)).State.ShouldBe(RunState.Halted);
        var others = (await office.RelocationsAsync()).Where(r => r.Machine == "map-02").ToList();
        others.Select(r => (r.State, r.Failure!.Code)).Distinct().ShouldBe([(RelocationState.Refused, "run-halted")]);
        (await later.FetchAsync()).ShouldBeEmpty();
        // What is under way is waited for, but not on a machine that is silent.
        await office.Part<RunWatch>().TurnAsync(Office.Stop);
        (await office.RunAsync(run)).State.ShouldBe(RunState.Halted);
        office.Clock.Advance(TimeSpan.FromMinutes(5));
        await office.Part<RunWatch>().TurnAsync(Office.Stop);
        (await office.RunAsync(run)).State.ShouldBe(RunState.Ended);
        // When it is back, it is shown what it did.
        await desk.SwitchAsync(dockets[1]);
        (await office.RelocationAsync(dockets[1].Relocation)).State.ShouldBe(RelocationState.Switched);
    }

    [Fact]
    public async Task What_a_machine_may_have_when_its_run_is_halted_is_called_back_and_the_halt_stands()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var run = (await office.StartAsync(Office.Brief())).Number;
        var docket = (await desk.FetchAsync())[0];
        await office.Part<Steering>().HaltAsync(run, default, "mara.ostby", Office.Stop);
        var halted = await office.RelocationAsync(docket.Relocation);
        halted.State.ShouldBe(RelocationState.Refused);
        halted.Failure!.Where.ShouldContain("may have reached the machine and was called back");
        // It had begun it: it undoes that.
        await desk.SayAsync(docket, RelocationState.UnderWay);
        (await office.RelocationAsync(docket.Relocation)).State.ShouldBe(RelocationState.UnderWay);
        await desk.SayAsync(docket, RelocationState.BackingOut);
        await desk.SayAsync(docket, RelocationState.BackedOut);
        (await office.RelocationAsync(docket.Relocation)).ShouldSatisfyAllConditions(
            r => r.State.ShouldBe(RelocationState.Refused),
            r => r.Failure!.Code.ShouldBe("run-halted")
        );
    }

    [Fact]
    public async Task A_paused_run_begins_nothing_and_goes_on_where_it_was()
    {
        await using var office = await Office.OpenAsync();
        var (one, two) = (await office.DeskAsync("map-01"), await office.DeskAsync("map-02"));
        var run = (await office.StartAsync(Office.Brief("waves: {pilot: 1 machines, everybody: the rest}"))).Number;
        await office.Part<Steering>().PauseAsync(run, default, "mara.ostby", Office.Stop);
        foreach (var docket in await one.FetchAsync())
            await one.SwitchAsync(docket);
        (await two.FetchAsync()).ShouldBeEmpty();
        await office.Part<Steering>().ResumeAsync(run, default, "mara.ostby", Office.Stop);
        (await two.FetchAsync()).Count.ShouldBe(2);
    }

    [Fact]
    public async Task As_many_machines_are_worked_on_at_once_as_the_brief_says_and_a_silent_one_takes_nobodys_turn()
    {
        await using var office = await Office.OpenAsync();
        Desk[] desks =
        [
            await office.DeskAsync("map-01"),
            await office.DeskAsync("map-02"),
            await office.DeskAsync("map-03"),
        ];
        await office.StartAsync(Office.Brief("at-once: {machines: 1}"));
        var first = await desks[0].FetchAsync();
        first.Count.ShouldBe(2);
        (await desks[1].FetchAsync()).ShouldBeEmpty();
        // The first one is switched off in the middle of its work.
        await desks[0].SayAsync(first[0], RelocationState.UnderWay);
        office.Clock.Advance(TimeSpan.FromMinutes(2));
        (await desks[1].FetchAsync()).ShouldBeEmpty();
        (await desks[2].FetchAsync()).ShouldBeEmpty();
        await office.Part<RunWatch>().TurnAsync(Office.Stop);
        var second = await desks[1].FetchAsync();
        second.Count.ShouldBe(2);
        (await desks[2].FetchAsync()).ShouldBeEmpty();
        foreach (var docket in second)
            await desks[1].SwitchAsync(docket);
        (await desks[2].FetchAsync()).Count.ShouldBe(2);
    }

    [Fact]
    public async Task Of_each_room_as_many_machines_are_worked_on_at_once_as_the_brief_says()
    {
        await using var office = await Office.OpenAsync();
        Desk[] map = [await office.DeskAsync("map-01"), await office.DeskAsync("map-02")];
        Desk[] herbarium =
        [
            await office.DeskAsync("herb-01", "Herbarium"),
            await office.DeskAsync("herb-02", "Herbarium"),
        ];
        await office.StartAsync(
            Office
                .Brief("at-once: {per-room: 1}")
                .Replace("rooms: [Map Room]", "rooms: [Map Room, Herbarium]", StringComparison.Ordinal)
        );
        var (here, there) = (await map[0].FetchAsync(), await herbarium[0].FetchAsync());
        (here.Count, there.Count).ShouldBe((2, 2));
        (await map[1].FetchAsync()).ShouldBeEmpty();
        (await herbarium[1].FetchAsync()).ShouldBeEmpty();
        foreach (var docket in here)
            await map[0].SwitchAsync(docket);
        (await map[1].FetchAsync()).Count.ShouldBe(2);
        (await herbarium[1].FetchAsync()).ShouldBeEmpty();
    }

    [Fact]
    public async Task Of_machines_that_share_a_volume_as_many_are_worked_on_at_once_as_the_brief_says()
    {
        await using var office = await Office.OpenAsync();
        // The data volume of both is the same; the third one has one of its own.
        var usual = Contracts.MadeUpSurvey.Usual(office.Clock.GetUtcNow());
        var own = usual with
        {
            Volumes =
            [
                .. usual.Volumes.Select(v => v with { Identity = new VolumeIdentity($"{v.Identity.Key}-own", "") }),
            ],
            Holdings =
            [
                .. usual.Holdings.Select(h =>
                    h with
                    {
                        Place = h.Place! with { Volume = "v1-own" },
                        Pointers =
                        [
                            .. h.Pointers.Select(p => p with { Resolves = h.Place with { Volume = "v1-own" } }),
                        ],
                    }
                ),
            ],
        };
        var (one, two, three) = (
            await office.DeskAsync("map-01"),
            await office.DeskAsync("map-02"),
            await office.DeskAsync("map-03", survey: own)
        );
        await office.StartAsync(Office.Brief("at-once: {per-volume: 1}"));
        var first = await one.FetchAsync();
        first.Count.ShouldBe(2);
        (await two.FetchAsync()).ShouldBeEmpty();
        (await three.FetchAsync()).Count.ShouldBe(2);
        foreach (var docket in first)
            await one.SwitchAsync(docket);
        (await two.FetchAsync()).Count.ShouldBe(2);
    }

    [Fact]
    public async Task A_proposed_run_begins_nothing_until_a_second_person_approves()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var run = (await office.StartAsync(Office.Brief("approval: second-person"))).Number;
        (await desk.FetchAsync()).ShouldBeEmpty();
        var own = await Should.ThrowAsync<RefusedException>(() =>
            office.Part<Steering>().ApproveAsync(run, default, "mara.ostby", Office.Stop)
        );
        own.Code.ShouldBe("second-person-wanted");
        (await desk.FetchAsync()).ShouldBeEmpty();
        await office.Part<Steering>().ApproveAsync(run, default, "ines.quill", Office.Stop);
        (await desk.FetchAsync()).Count.ShouldBe(2);
        (await office.RunAsync(run)).ApprovedBy.ShouldBe("ines.quill");
    }

    [Fact]
    public async Task A_plan_that_was_made_before_settings_changed_is_not_carried_out()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var plan = await office
            .Part<Plans.PlanDesk>()
            .MakeAsync(new BriefText(Office.Brief()), "mara.ostby", Office.Stop);
        foreach (var hazard in plan.ConsentsWanted)
            await office
                .Part<Plans.PlanDesk>()
                .ConsentAsync(plan.Number, new ConsentRequest(hazard, "a test"), "mara.ostby", Office.Stop);
        var survey = Contracts.MadeUpSurvey.Usual(office.Clock.GetUtcNow());
        await desk.SurveyAsync(
            survey with
            {
                Holdings =
                [
                    survey.Holdings[0] with
                    {
                        Pointers =
                        [
                            survey.Holdings[0].Pointers[0] with
                            {
                                Value = new PointerValue("text", "$HOME/elsewhere"),
                            },
                        ],
                    },
                    survey.Holdings[1],
                ],
            }
        );
        var before = office.Everything();
        var refused = await Should.ThrowAsync<RefusedException>(() =>
            office.Part<RunDesk>().StartAsync(plan.Number, "mara.ostby", Office.Stop)
        );
        refused.Code.ShouldBe("plan-overtaken");
        refused.Message.ShouldContain("The settings of");
        office.Everything().ShouldBe(before);
    }

    [Fact]
    public async Task A_docket_that_its_machine_has_not_fetched_is_called_back_for_certain()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var run = (await office.StartAsync(Office.Brief())).Number;
        foreach (var relocation in await office.RelocationsAsync())
            (await office.Part<Acting>().BackOutAsync(relocation.Number, "mara.ostby", Office.Stop)).State.ShouldBe(
                RelocationState.BackedOut
            );
        (await desk.FetchAsync()).ShouldBeEmpty();
        (await office.RunAsync(run)).State.ShouldBe(RunState.Ended);
        // A retry in the ended run is a docket of its own.
        var again = (await office.RelocationsAsync())[0].Number;
        await office.Part<Acting>().RetryAsync(again, "mara.ostby", Office.Stop);
        (await desk.FetchAsync()).Single().Relocation.ShouldBe(again);
    }

    [Fact]
    public async Task A_machine_that_was_reinstalled_has_lost_what_was_under_way()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var dockets = await desk.FetchAsync();
        await desk.SwitchAsync(dockets[0]);
        await desk.SayAsync(dockets[1], RelocationState.UnderWay);
        var invite = await office
            .Part<Invites>()
            .MakeAsync(new InviteRequest(null, Again: "map-01"), "mara.ostby", Office.Stop);
        await office
            .Part<Agents.AgentSessions>()
            .EnrolAsync(
                new Protocol.EnrolRequest(
                    invite.Code,
                    "map-01",
                    "Map Room",
                    Protocol.SigningKey.Make().Public,
                    "map-01-anew",
                    Protocol.ProtocolVersion.Newest
                ),
                Office.Stop
            );
        (await office.RelocationAsync(dockets[0].Relocation)).State.ShouldBe(RelocationState.Switched);
        var lost = await office.RelocationAsync(dockets[1].Relocation);
        (lost.State, lost.Live, lost.Failure!.Code).ShouldBe(
            (RelocationState.Failed, Live.Unknown, "machine-set-up-anew")
        );
    }
}
