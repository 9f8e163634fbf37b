using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>What machines may report, and what it means.</summary>
public sealed class ReportTests
{
    private static readonly RelocationState[] States = Enum.GetValues<RelocationState>();
    private static readonly RelocationState[] Ends = [.. States.Where(s => s.IsAtRest())];

    /// <summary>By the engine's procedures: what an agent that works on such a docket can say.</summary>
    private static bool CanSay(DocketWork work, RelocationState state) =>
        state switch
        {
            RelocationState.Waiting
            or RelocationState.BackingOut
            or RelocationState.BackedOut
            or RelocationState.Failed
            or RelocationState.Refused => true,
            RelocationState.UnderWay => work == DocketWork.Relocate,
            RelocationState.Switched => work is DocketWork.Relocate or DocketWork.Gather,
            RelocationState.Finished => work is DocketWork.Relocate or DocketWork.Discard,
            RelocationState.Returning => work is DocketWork.Return or DocketWork.FallBack,
            RelocationState.Returned => work is DocketWork.Return or DocketWork.FallBack or DocketWork.Relocate,
            RelocationState.Discarding => work == DocketWork.Discard,
            RelocationState.Gathering => work == DocketWork.Gather,
            _ => false,
        };

    [Fact]
    public void No_report_makes_of_a_docket_what_its_work_cannot_be()
    {
        var accepted = 0;
        foreach (var (row, docket, said) in Cases())
            if (RelocationReport.Of(row, docket, said, Live.Source) is { } report)
            {
                accepted++;
                CanSay(docket.Work, said).ShouldBeTrue($"{docket.Work} {row.State}: {said}");
                if (report.Next != said)
                    report.Next.ShouldBeOneOf(row.State, row.StateBefore);
            }
        accepted.ShouldBeGreaterThan(1_000);
    }

    [Fact]
    public void Nothing_follows_the_end_of_a_docket_but_the_same_end_and_falling_back_at_the_desk()
    {
        foreach (var (row, docket, said) in Cases().Where(c => c.Docket.EndedAs is not null))
        {
            var report = RelocationReport.Of(row, docket, said, Live.Source);
            if (docket is { Work: DocketWork.Relocate } && said == RelocationState.Returned)
                (report is not null).ShouldBe(
                    docket.EndedAs
                        is RelocationState.Switched
                            or RelocationState.Finished
                            or RelocationState.Failed
                            or RelocationState.Returned,
                    $"{docket.EndedAs}"
                );
            else
                (report is not null).ShouldBe(
                    CanSay(docket.Work, said) && said == docket.EndedAs,
                    $"{docket.Work} ended as {docket.EndedAs}: {said}"
                );
        }
    }

    [Fact]
    public void As_long_as_a_docket_has_not_ended_its_machine_is_believed()
    {
        foreach (var (row, docket, said) in Cases().Where(c => c.Docket.EndedAs is null))
            if (CanSay(docket.Work, said) && !RelocationReport.IsFallBackAtDesk(docket, said))
                RelocationReport
                    .Of(row, docket, said, Live.Source)
                    .ShouldNotBeNull($"{docket.Work} {row.State}: {said}");
    }

    [Fact]
    public void What_was_decided_when_a_docket_was_called_back_stands_when_it_was_undone()
    {
        foreach (
            var decided in (RelocationState[])
                [RelocationState.Skipped, RelocationState.Refused, RelocationState.BackedOut]
        )
        foreach (var said in (RelocationState[])[RelocationState.BackedOut, RelocationState.Refused])
        {
            RelocationReport
                .Of(Row(decided, RelocationState.Planned), Docket(DocketWork.Relocate, null, true), said, Live.Source)
                .ShouldBe(new RelocationReport(decided, true));
            // It had switched before it was called back: that is shown.
            RelocationReport
                .Of(Row(decided, RelocationState.Planned), Docket(DocketWork.Relocate, null, true), said, Live.Target)!
                .Next.ShouldBe(said);
        }
    }

    [Theory]
    [InlineData(DocketWork.Discard, RelocationState.Failed, RelocationState.Switched)]
    [InlineData(DocketWork.Discard, RelocationState.Refused, RelocationState.Returned)]
    [InlineData(DocketWork.Discard, RelocationState.BackedOut, RelocationState.Switched)]
    [InlineData(DocketWork.Return, RelocationState.BackedOut, RelocationState.Finished)]
    [InlineData(DocketWork.Return, RelocationState.Failed, RelocationState.Switched)]
    [InlineData(DocketWork.FallBack, RelocationState.Refused, RelocationState.Failed)]
    [InlineData(DocketWork.Gather, RelocationState.Switched, RelocationState.Finished)]
    [InlineData(DocketWork.Gather, RelocationState.BackedOut, RelocationState.Returned)]
    public void A_relocation_whose_later_docket_did_not_succeed_is_what_it_was_before(
        DocketWork work,
        RelocationState said,
        RelocationState before
    ) =>
        RelocationReport
            .Of(Row(RelocationState.Waiting, before), Docket(work, null, false), said, Live.Target)!
            .Next.ShouldBe(before);

    [Fact]
    public async Task A_machine_that_goes_on_after_the_end_is_not_believed_and_it_is_reported()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var dockets = await desk.FetchAsync();
        await desk.SwitchAsync(dockets[0]);
        var before = await office.RelocationAsync(dockets[0].Relocation);
        before.State.ShouldBe(RelocationState.Switched);

        // A disk image from yesterday, or an agent that lies.
        await desk.SayAsync(dockets[0], RelocationState.UnderWay);
        await desk.SayAsync(dockets[0], RelocationState.Gathering);
        await desk.SayAsync(
            dockets[0],
            RelocationState.BackedOut,
            original: new OriginalFacts(
                Guid.NewGuid(),
                dockets[0].Holding,
                dockets[0].Source,
                office.Clock.GetUtcNow(),
                1,
                1,
                false,
                null
            )
        );
        (await office.RelocationAsync(dockets[0].Relocation)).ShouldBeEquivalentTo(before);
        (await office.Part<OriginalList>().ReadAsync(Office.Whole, Office.Stop)).Count.ShouldBe(1);
        var refused = await office.HistoryAsync("report refused");
        refused
            .Select(h => (h.By, h.Subject.InWords(), h.From, h.To, h.Detail))
            .ShouldBe([
                (
                    "map-01",
                    $"relocation {dockets[0].Relocation}",
                    "switched",
                    "under-way",
                    "its relocate docket had ended: switched"
                ),
            ]);
        // Told once: what it repeats fills nothing.
        // It is not stuck: what it says of other dockets is taken.
        await desk.SwitchAsync(dockets[1]);
        (await office.RelocationAsync(dockets[1].Relocation)).State.ShouldBe(RelocationState.Switched);
    }

    [Fact]
    public async Task A_machine_says_nothing_about_the_dockets_of_another()
    {
        await using var office = await Office.OpenAsync();
        var (one, other) = (await office.DeskAsync("map-01"), await office.DeskAsync("map-02"));
        await office.StartAsync(Office.Brief());
        var docket = (await one.FetchAsync())[0];
        await other.FetchAsync();
        await other.SwitchAsync(docket);
        (await office.RelocationAsync(docket.Relocation)).State.ShouldBe(RelocationState.Queued);
        (await office.HistoryAsync("unknown docket reported")).ShouldAllBe(h =>
            h.By == "map-02" && h.Subject.Name == docket.Id.ToString()
        );
    }

    [Fact]
    public async Task The_original_of_a_relocation_that_someone_fell_back_from_at_the_desk_is_live_again()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var docket = (await desk.FetchAsync())[0];
        await desk.SwitchAsync(docket);
        await desk.SayAsync(docket, RelocationState.Returned);
        var now = await office.RelocationAsync(docket.Relocation);
        (now.State, now.Live).ShouldBe((RelocationState.Returned, Live.Source));
        (await office.Part<OriginalList>().ReadAsync(Office.Whole, Office.Stop)).ShouldBeEmpty();
        (await office.HistoryAsync("report refused")).ShouldBeEmpty();
    }

    /// <summary>As after a time without a connection.</summary>
    [Fact]
    public async Task An_original_that_was_set_aside_and_is_live_again_by_one_batch_of_bulletins_is_none()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        var docket = (await desk.FetchAsync())[0];
        var at = office.Clock.GetUtcNow();
        var aside = new OriginalFacts(docket.Id, docket.Holding, docket.Source, at, 3, 7_000, false, null);
        Bulletin Say(long number, RelocationState state, Live live, OriginalFacts? original) =>
            new(number, at, docket.Id, docket.Relocation, state, null, live, null, [], original, []);
        await office
            .Part<Agents.BulletinDesk>()
            .TakeAsync(
                desk.Id,
                [
                    Say(1, RelocationState.UnderWay, Live.Source, null),
                    Say(2, RelocationState.Switched, Live.Target, aside),
                    Say(3, RelocationState.Returned, Live.Source, null),
                ],
                false,
                Office.Stop
            );
        (await office.RelocationAsync(docket.Relocation)).State.ShouldBe(RelocationState.Returned);
        (await office.Part<OriginalList>().ReadAsync(Office.Whole, Office.Stop)).ShouldBeEmpty();
    }

    private static IEnumerable<(RelocationRow Row, DocketRow Docket, RelocationState Said)> Cases() =>
        from work in Enum.GetValues<DocketWork>()
        from state in States
        from before in Ends
        from ended in Ends.Cast<RelocationState?>().Prepend(null)
        from withdrawn in (bool[])[false, true]
        from said in States
        select (Row(state, before), Docket(work, ended, withdrawn), said);

    private static RelocationRow Row(RelocationState state, RelocationState before) =>
        new()
        {
            Wave = "",
            Account = "",
            Holding = "",
            Planned = "",
            State = state,
            StateBefore = before,
            Live = Live.Target,
        };

    private static DocketRow Docket(DocketWork work, RelocationState? ended, bool withdrawn) =>
        new()
        {
            Work = work,
            Body = "",
            Signed = "",
            EndedAs = ended,
            Withdrawn = withdrawn,
        };
}
