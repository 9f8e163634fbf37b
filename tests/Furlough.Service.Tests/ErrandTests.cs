using Furlough.Contracts;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.LiveEvents;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>What only people can do, and what follows from it.</summary>
public sealed class ErrandTests
{
    private static readonly string First = Office
        .Brief()
        .Replace(
            "onto: data,",
            "onto: data, attended: true, beforehand: [restart], afterwards: [confirm-by-eye],",
            StringComparison.Ordinal
        );

    [Fact]
    public async Task What_comes_first_holds_back_what_waits_for_it_and_what_comes_after_is_raised_after_the_switch()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(First);
        var raised = await ErrandsAsync(office);
        raised.Select(e => e.Kind).ShouldBe([ErrandKind.BeThere, ErrandKind.Restart], ignoreOrder: true);
        var there = raised.Single(e => e.Kind == ErrandKind.BeThere);
        there.Text.ShouldContain("Go to map-01 (Map Room).");
        (await office.RelocationsAsync()).ShouldAllBe(r => r.State == RelocationState.Queued);
        await Actions(office).FinishAsync(there.Number, "done at lunch", "kit.sorrel", Office.Stop);
        foreach (var docket in await desk.FetchAsync())
            await desk.SwitchAsync(docket);
        (await ErrandsAsync(office)).Select(e => e.Kind).Distinct().ShouldBe([ErrandKind.ConfirmByEye]);
        (await office.HistoryAsync("errand finished"))
            .Select(h => (h.By, h.Subject.Number, h.From, h.To, h.Detail))
            .ShouldContain(("kit.sorrel", there.Number, "open", "finished", "done at lunch"));
    }

    [Fact]
    public async Task An_errand_is_claimed_by_one_and_ends_once()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        await office.StartAsync(First);
        var there = (await ErrandsAsync(office)).Single(e => e.Kind == ErrandKind.BeThere).Number;
        await Actions(office).ClaimAsync(there, "room desk", "kit.sorrel", Office.Stop);
        await Actions(office).ClaimAsync(there, "room desk", "kit.sorrel", Office.Stop);
        (
            await Should.ThrowAsync<RefusedException>(() =>
                Actions(office).ClaimAsync(there, "mara.ostby", "mara.ostby", Office.Stop)
            )
        ).Code.ShouldBe("claimed-already");
        await Actions(office).FinishAsync(there, null, "mara.ostby", Office.Stop);
        var before = office.Everything();
        foreach (
            var again in (Func<Task>[])
                [
                    () => Actions(office).FinishAsync(there, null, "kit.sorrel", Office.Stop),
                    () => Actions(office).DeclineAsync(there, "no time", "kit.sorrel", Office.Stop),
                    () => Actions(office).ClaimAsync(there, "kit.sorrel", "kit.sorrel", Office.Stop),
                ]
        )
            (await Should.ThrowAsync<RefusedException>(again)).ShouldSatisfyAllConditions(
                r => r.Code.ShouldBe("errand-over"),
                r => r.Message.ShouldContain("is finished already, by mara.ostby")
            );
        office.Everything().ShouldBe(before);
    }

    [Fact]
    public async Task What_is_declined_is_undone_so_that_nothing_waits_for_ever()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(First);
        var dockets = await desk.FetchAsync();
        foreach (var docket in dockets)
            await desk.SayAsync(docket, RelocationState.Waiting, failure: Desk.Failure(docket, "awaits-person"));
        var there = (await ErrandsAsync(office)).Single(e => e.Kind == ErrandKind.BeThere).Number;
        await Actions(office).DeclineAsync(there, "the room is closed", "kit.sorrel", Office.Stop);
        (await office.HistoryAsync("back out"))
            .Select(h => (h.By, h.Subject.Number, h.Detail))
            .ShouldBe(
                dockets.Select(d => ("kit.sorrel", (long?)d.Relocation, (string?)$"errand {there} was declined")),
                ignoreOrder: true
            );
        foreach (var docket in dockets)
            await desk.SayAsync(docket, RelocationState.BackedOut);
        (await ErrandsAsync(office)).ShouldBeEmpty("nothing waits for the restart any more");
    }

    [Fact]
    public async Task A_restart_is_finished_by_the_machine_itself_and_not_by_a_word_against_what_it_says()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(First);
        var restart = (await ErrandsAsync(office)).Single(e => e.Kind == ErrandKind.Restart).Number;
        office.Clock.Advance(TimeSpan.FromHours(1));
        await desk.SurveyAsync(Started(office, TimeSpan.FromHours(5)));
        (await ErrandsAsync(office)).ShouldContain(e => e.Number == restart, "it runs for longer than the errand");
        // By how long it runs, for its clock may be wrong.
        await desk.SurveyAsync(Started(office, TimeSpan.FromMinutes(3), TimeSpan.FromDays(-900)));
        (await office.Part<ErrandList>().OneAsync(restart, Office.Stop)).ShouldSatisfyAllConditions(
            e => e.State.ShouldBe(ErrandState.Finished),
            e => e.EndedBy.ShouldBe("map-01"),
            e => e.Remark.ShouldStartWith("restarted at 2026-03-02 09:57")
        );
    }

    [Fact]
    public async Task What_is_in_the_way_lapses_when_its_relocation_goes_on()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var docket = (await desk.FetchAsync())[0];
        await desk.SayAsync(docket, RelocationState.Waiting, failure: Desk.Failure(docket, FaultKinds.FilesInUse.Code));
        var errand = (await ErrandsAsync(office)).Single();
        errand.Kind.ShouldBe(ErrandKind.CloseFiles);
        await desk.SayAsync(docket, RelocationState.UnderWay);
        (await office.Part<ErrandList>().OneAsync(errand.Number, Office.Stop)).State.ShouldBe(ErrandState.Lapsed);
    }

    private static Survey Started(Office office, TimeSpan runs, TimeSpan clock = default)
    {
        var now = office.Clock.GetUtcNow() + clock;
        return MadeUpSurvey.Usual(now) with { StartedAt = now - runs, SentAt = now };
    }

    private static ErrandActions Actions(Office office) => office.Part<ErrandActions>();

    private static Task<List<ErrandView>> ErrandsAsync(Office office) =>
        office.Part<ErrandList>().ReadAsync(false, Office.Whole, Office.Stop);
}
