using System.IO.Compression;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>
/// The data that the version before has written on the demo's station, in the middle of a run: herb-01 has switched
/// four relocations and waits with two for a person, two further machines wait for their wave.
/// </summary>
public sealed class FormerDataTests
{
    private static readonly DateTimeOffset NextMorning = new(2026, 12, 2, 8, 0, 0, TimeSpan.Zero);

    [Fact]
    public async Task A_run_half_done_its_originals_and_errands_are_taken_over_and_the_run_ends_right()
    {
        await using var office = await Office.OpenAsync(Unpacked(), NextMorning);
        (await office.RelocationsAsync())
            .Select(r => r.State)
            .GroupBy(s => s)
            .ToDictionary(g => g.Key, g => g.Count())
            .ShouldBe(
                new Dictionary<RelocationState, int>
                {
                    [RelocationState.Switched] = 4,
                    [RelocationState.Waiting] = 2,
                    [RelocationState.Planned] = 12,
                },
                ignoreOrder: true
            );
        var originals = await office.Part<OriginalList>().ReadAsync(Office.Whole, Office.Stop);
        originals.Count.ShouldBe(4);
        originals.ShouldAllBe(o => o.Machine == "herb-01" && o.Files > 0 && !o.Eligible);
        var errands = await ErrandsAsync(office);
        errands
            .Select(e => (e.Kind, e.State, e.ClaimedBy))
            .ShouldBe(
                [
                    (ErrandKind.BeThere, ErrandState.Open, null),
                    (ErrandKind.ConfirmByEye, ErrandState.Claimed, "room desk"),
                    (ErrandKind.ConfirmByEye, ErrandState.Open, null),
                ],
                ignoreOrder: true
            );
        (await office.HistoryAsync("relocation 6"))
            .Select(h => (h.By, h.Event, h.From, h.To, h.Detail))
            .ShouldBe([
                ("herb-01", HistoryEvent.StateChanged, "queued", "under-way", "Pictures of pim.alder"),
                ("herb-01", HistoryEvent.StateChanged, "under-way", "switched", "Pictures of pim.alder"),
            ]);
        (await office.HistoryAsync()).ShouldNotContain(h => h.Event == HistoryEvent.Noted);
        await ListTests.RequireSameAsync(office);

        await GoOnAsync(office);
        var run = await office.RunAsync(1);
        (run.State, run.Counts["switched"]).ShouldBe((RunState.Ended, 18));
        (await office.Part<OriginalList>().ReadAsync(Office.Whole, Office.Stop)).Count.ShouldBe(18);
        (await office.HistoryAsync("report refused")).ShouldBeEmpty();
    }

    [Fact]
    public async Task What_had_switched_before_can_be_returned_and_its_original_discarded()
    {
        await using var office = await Office.OpenAsync(Unpacked(), NextMorning);
        var desk = (await DesksAsync(office)).Single(d => d.Name == "herb-01");
        await office.Part<Acting>().ReturnAsync(1, "mara.ostby", Office.Stop);
        var back = (await desk.FetchAsync()).Single();
        (back.Work, back.Source.Path, back.Target.Path).ShouldBe(
            (DocketWork.Return, "People/pim.alder/Documents", "Accounts/pim.alder/Documents")
        );
        await desk.SayAsync(back, RelocationState.Returning);
        await desk.SayAsync(back, RelocationState.Returned);
        (await office.RelocationAsync(1)).State.ShouldBe(RelocationState.Returned);

        office.Clock.Advance(TimeSpan.FromDays(8));
        var kept = (await office.Part<OriginalList>().ReadAsync(Office.Whole, Office.Stop)).Single(o =>
            o.Relocation == 6
        );
        kept.Eligible.ShouldBeTrue();
        await office
            .Part<OriginalDesk>()
            .DiscardAsync(kept.Id, new DiscardRequest(false, null, null), "mara.ostby", Office.Stop);
        var discard = (await desk.FetchAsync()).Single();
        await desk.SayAsync(discard, RelocationState.Discarding, Live.Target);
        await desk.SayAsync(discard, RelocationState.Finished, Live.Target);
        (await office.RelocationAsync(6)).State.ShouldBe(RelocationState.Finished);
    }

    /// <summary>People do their errands, and the machines what is asked of them.</summary>
    private static async Task GoOnAsync(Office office)
    {
        foreach (var errand in (await ErrandsAsync(office)).Where(e => e.Kind == ErrandKind.BeThere))
            await office.Part<ErrandActions>().FinishAsync(errand.Number, null, "kit.sorrel", Office.Stop);
        var desks = await DesksAsync(office);
        var herb01 = desks.Single(d => d.Name == "herb-01");
        foreach (var docket in await UnderWayAsync(office, herb01))
            await herb01.SwitchAsync(docket);
        foreach (var desk in desks.Where(d => d != herb01))
        {
            await desk.SurveyAsync(
                (await office.Store.ReadAsync(db => Machines.Surveys.OfAsync(db, desk.Id, Office.Stop), Office.Stop))!
            );
            foreach (var docket in await desk.FetchAsync())
                await desk.SwitchAsync(docket);
        }
    }

    /// <summary>Those that a machine had fetched from the version before.</summary>
    private static async Task<List<Docket>> UnderWayAsync(Office office, Desk desk) =>
        await office.Store.ReadAsync(
            async db =>
                (
                    await db
                        .Dockets.Where(d =>
                            d.Machine == desk.Id
                            && db.Relocations.Any(r => r.Docket == d.Id && r.State == RelocationState.Waiting)
                        )
                        .Select(d => d.Body)
                        .ToListAsync(Office.Stop)
                ).ConvertAll(b => Column.Read(b, ModelJson.Default.Docket)),
            Office.Stop
        );

    private static async Task<List<Desk>> DesksAsync(Office office) =>
        await office.Store.ReadAsync(
            async db =>
                (await db.Machines.OrderBy(m => m.Name).ToListAsync(Office.Stop)).ConvertAll(m => new Desk(
                    office,
                    m.Id,
                    m.Name,
                    m.LastDocket,
                    m.LastBulletin
                )),
            Office.Stop
        );

    private static Task<List<ErrandView>> ErrandsAsync(Office office) =>
        office.Part<ErrandList>().ReadAsync(false, Office.Whole, Office.Stop);

    private static string Unpacked()
    {
        var data = Directory.CreateTempSubdirectory("furlough-former-").FullName;
        using var packed = new GZipStream(
            File.OpenRead(Path.Combine(AppContext.BaseDirectory, "Former", "run-half-done.db.gz")),
            CompressionMode.Decompress
        );
        using var database = File.Create(Path.Combine(data, "furlough.db"));
        packed.CopyTo(database);
        return data;
    }
}
