using Furlough.Contracts;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>What is shown of many machines at a time is what storage holds, and consoles are told of it.</summary>
public sealed class BoardTests
{
    [Fact]
    public async Task Standings_follow_what_machines_report_and_what_people_do()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        (await StandingAsync(office)).ShouldBe(Standing.Ready);
        await office.StartAsync(Office.Brief());
        (await StandingAsync(office)).ShouldBe(Standing.UnderWay);
        var dockets = await desk.FetchAsync();
        await desk.SayAsync(dockets[0], RelocationState.Waiting, failure: Desk.Failure(dockets[0], "files-in-use"));
        await desk.SwitchAsync(dockets[1]);
        (await StandingAsync(office)).ShouldBe(Standing.Waiting);
        await desk.FailAsync(dockets[0]);
        (await StandingAsync(office)).ShouldBe(Standing.Stuck);
        office.Clock.Advance(TimeSpan.FromMinutes(2));
        (await StandingAsync(office)).ShouldBe(Standing.Silent);
        await office.Part<MachineDesk>().ForgetAsync(new ForgetRequest("map-01", true), "mara.ostby", Office.Stop);
        (await office.Part<MachineBoard>().MachinesAsync(Office.Stop)).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_machine_whose_survey_makes_no_sense_is_shown_without_it_and_the_others_as_they_are()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.DeskAsync("map-02");
        await office.Store.WriteAsync(
            async db =>
            {
                (await db.Surveys.FindAsync([desk.Id], Office.Stop))!.Body = "{ not a survey";
                return 0;
            },
            Office.Stop
        );
        var shown = (await office.Part<MachineBoard>().MachinesAsync(Office.Stop)).ToDictionary(m => m.Name);
        shown["map-01"].Attention.ShouldNotBeNull().ShouldContain("cannot be read");
        shown["map-02"].Standing.ShouldBe(Standing.Ready);
    }

    [Fact]
    public async Task Consoles_hear_of_a_unit_of_work_when_it_is_durable_and_never_of_one_that_was_refused()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await using var hints = office.Part<LiveHub>().ListenAsync(Office.Stop).GetAsyncEnumerator(Office.Stop);
        await hints.MoveNextAsync();
        await Should.ThrowAsync<InvalidDataException>(() =>
            office.Store.WriteAsync<int>(
                db =>
                {
                    db.Effects.Say("run", 99);
                    throw new InvalidDataException();
                },
                Office.Stop
            )
        );
        await office.StartAsync(Office.Brief());
        await hints.MoveNextAsync();
        (hints.Current.Kind, hints.Current.Subject).ShouldBe(("plan", "1"));
        await office.Part<MachineDesk>().TagAsync(new TagRequest(["map-01"], "imaging"), "mara.ostby", Office.Stop);
        HashSet<string> heard = [];
        while (!heard.Contains($"machine {desk.Id}"))
        {
            await hints.MoveNextAsync();
            heard.Add($"{hints.Current.Kind} {hints.Current.Subject}");
        }
        heard.ShouldContain("run 1");
        heard.ShouldNotContain("run 99");
    }

    [Fact]
    public async Task Units_that_wait_together_are_stored_or_refused_one_by_one()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        var invites = office.Part<Invites>();
        var all = Enumerable
            .Range(1, 200)
            .Select(n =>
                Task.Run(async () =>
                {
                    try
                    {
                        await invites.MakeAsync(new InviteRequest("Map Room", n % 3), $"person-{n}", Office.Stop);
                        return n;
                    }
                    catch (RefusedException)
                    {
                        return -n;
                    }
                })
            )
            .ToList();
        var ends = await Task.WhenAll(all);
        ends.Where(n => n < 0).ShouldAllBe(n => -n % 3 == 0);
        var made = (await office.HistoryAsync("invite made"))
            .Select(h => h.By)
            .Where(b => b.StartsWith("person", StringComparison.Ordinal));
        made.ShouldBe(ends.Where(n => n > 0).Select(n => $"person-{n}"), ignoreOrder: true);
    }

    [Fact]
    public async Task A_survey_that_was_begun_before_somebody_asked_is_not_the_answer()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var begunBefore = MadeUpSurvey.Usual(office.Clock.GetUtcNow());
        (await office.Part<MachineDesk>().SurveyAsync("map-01", Office.Stop)).SurveyWanted.ShouldBeTrue();
        office.Clock.Advance(TimeSpan.FromSeconds(5));
        await desk.SurveyAsync(begunBefore with { TakenAt = office.Clock.GetUtcNow() });
        var still = (await office.Part<MachineDesk>().OneAsync("map-01", Office.Stop)).Machine;
        (still.SurveyWanted, still.SurveyedAt).ShouldBe((true, office.Clock.GetUtcNow()));
        await desk.SurveyAsync(begunBefore with { Request = 1 });
        (await office.Part<MachineDesk>().OneAsync("map-01", Office.Stop)).Machine.SurveyWanted.ShouldBeFalse();
    }

    [Fact]
    public async Task What_is_left_free_is_said_for_a_room_or_for_all_and_follows_the_size_of_volumes()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        await office.DeskAsync("herb-01", "Herbarium");
        var reserves = office.Part<Reserves>();
        await reserves.SayAsync(new ReserveRequest(null, "10%", "50 GB"), "mara.ostby", Office.Stop);
        await reserves.SayAsync(new ReserveRequest("Herbarium", "30%", null), "mara.ostby", Office.Stop);
        (await ReservesAsync(office, "map-01")).ShouldBe([10_000_000_000, 50_000_000_000]);
        (await ReservesAsync(office, "herb-01")).ShouldBe([30_000_000_000, 0]);
        await reserves.SayAsync(new ReserveRequest("Herbarium", null, null), "mara.ostby", Office.Stop);
        var before = office.Everything();
        (
            await Should.ThrowAsync<RefusedException>(() =>
                reserves.SayAsync(new ReserveRequest(null, "95%", null), "mara.ostby", Office.Stop)
            )
        ).Code.ShouldBe("amount-malformed");
        office.Everything().ShouldBe(before);
    }

    private static async Task<Standing> StandingAsync(Office office) =>
        (await office.Part<MachineBoard>().MachinesAsync(Office.Stop)).Single().Standing;

    private static async Task<List<long>> ReservesAsync(Office office, string machine) =>
        [
            .. (await office.Part<SpaceShares>().OfAsync(machine, Office.Stop))
                .Volumes.OrderByDescending(v => v.System)
                .Select(v => v.ReserveBytes),
        ];
}
