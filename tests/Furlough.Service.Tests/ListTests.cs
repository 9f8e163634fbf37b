using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Audits;
using Furlough.Service.History;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>Lists come in parts, and say of a plan, a run or an audit what it says of itself.</summary>
public sealed class ListTests
{
    [Fact]
    public async Task A_list_comes_in_parts_that_follow_one_another()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        await office.DeskAsync("map-02");
        for (var i = 0; i < 5; i++)
            await office.Part<PlanDesk>().MakeAsync(new BriefText(Office.Brief()), "mara.ostby", Office.Stop);
        (await PlansAsync(null)).ShouldBe([5, 4]);
        (await PlansAsync(4)).ShouldBe([3, 2]);
        (await PlansAsync(2)).ShouldBe([1]);
        (await PlansAsync(1)).ShouldBeEmpty();

        await office.StartAsync(Office.Brief());
        var whole = (await office.RelocationsAsync()).ConvertAll(r => r.Number);
        whole.Count.ShouldBe(4);
        List<long> parts = [];
        for (long? beyond = null; ; beyond = parts[^1])
        {
            var part = await office.Part<RelocationList>().ListAsync(null, null, new Page(beyond, 3), Office.Stop);
            if (part.Count == 0)
                break;
            parts.AddRange(part.Select(r => r.Number));
        }
        parts.ShouldBe(whole);
        (await office.Part<HistoryList>().ReadAsync(new Page(null, 2), null, Office.Stop)).Count.ShouldBe(2);

        async Task<List<long>> PlansAsync(long? before) =>
            (await office.Part<PlanDesk>().ListAsync(new Page(before, 2), Office.Stop)).ConvertAll(p => p.Number);
    }

    [Theory]
    [InlineData("x", null, "number-malformed")]
    [InlineData("-1", null, "number-malformed")]
    [InlineData(null, "0", "limit-malformed")]
    [InlineData(null, "1001", "limit-malformed")]
    [InlineData(null, "all", "limit-malformed")]
    public void A_part_that_cannot_be_is_refused(string? beyond, string? limit, string code) =>
        Should.Throw<RefusedException>(() => Page.Read(beyond, limit)).Code.ShouldBe(code);

    [Fact]
    public async Task A_list_says_what_the_thing_says_of_itself()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        // Two holdings cannot have one place: the second is blocked, and the run does not count it.
        await office.StartAsync(Office.Brief().Replace("{account}/{folder}", "{account}", StringComparison.Ordinal));
        foreach (var docket in await desk.FetchAsync())
            await desk.SwitchAsync(docket);
        // A machine that is silent is not asked for a survey.
        office.Clock.Advance(TimeSpan.FromMinutes(5));
        await office.Part<AuditDesk>().MakeAsync("mara.ostby", Office.Stop);
        await RequireSameAsync(office);
        (await office.Part<PlanDesk>().ListAsync(Office.Whole, Office.Stop)).Single().Blocking.ShouldBe(1);
        (await office.Part<RunDesk>().ListAsync(Office.Whole, Office.Stop))
            .Single()
            .Counts.ShouldBe(new Dictionary<string, int> { ["switched"] = 1 });
    }

    /// <summary>Compares every list with the things in it, one by one.</summary>
    internal static async Task RequireSameAsync(Office office)
    {
        var plans = office.Part<PlanDesk>();
        foreach (var told in await plans.ListAsync(Office.Whole, Office.Stop))
        {
            var plan = await plans.OneAsync(told.Number, Office.Stop);
            var going = plan.Relocations.Where(r => r.Blocked.Count == 0).ToList();
            told.ShouldBe(
                new PlanSummary(
                    plan.Number,
                    plan.Title,
                    plan.Digest,
                    plan.MadeAt,
                    plan.MadeBy,
                    plan.Machines.Count,
                    going.Count,
                    going.Sum(r => r.DataBytes),
                    plan.Relocations.Count - going.Count,
                    plan.ConsentsWanted.Count
                )
            );
        }
        foreach (var told in await office.Part<RunDesk>().ListAsync(Office.Whole, Office.Stop))
        {
            var run = await office.RunAsync(told.Number);
            (told.Title, told.State, told.Machines, told.Relocations, told.DataBytes, told.DoneBytes).ShouldBe(
                (run.Title, run.State, run.Machines, run.Relocations, run.DataBytes, run.DoneBytes)
            );
            told.Counts.ShouldBe(run.Counts, ignoreOrder: true);
        }
        var audits = office.Part<AuditDesk>();
        foreach (var told in await audits.ListAsync(Office.Whole, Office.Stop))
        {
            var audit = await audits.OneAsync(told.Number, Office.Stop);
            (told.Findings, told.Blocking).ShouldBe(
                (audit.Findings.Count, audit.Findings.Count(f => f.Severity == Severity.Blocking))
            );
        }
    }
}
