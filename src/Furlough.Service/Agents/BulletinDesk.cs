using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.History;
using Furlough.Service.Metrics;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>
/// Takes bulletins in: each once, in order, with everything that follows from it, in one transaction.
/// </summary>
public sealed class BulletinDesk(Store store, RunControl runs, ErrandDesk errands, RunHours hours, TimeProvider time)
{
    /// <summary>Applies what is new and returns the number up to which everything is stored.</summary>
    /// <param name="hasMore">The machine can hand in dockets that are not known here: nothing is reported about such a
    /// one before.</param>
    public async Task<BulletinReceipt> TakeAsync(
        Guid machineId,
        IReadOnlyList<Bulletin> bulletins,
        bool hasMore,
        CancellationToken stop
    )
    {
        return await store.WriteAsync(
            async db =>
            {
                List<RelocationRow> touched = [];
                var machine = (await db.Machines.FindAsync([machineId], stop))!;
                var hadToReport = machine.HasToReport;
                Guid? wanted = null;
                foreach (var bulletin in bulletins.OrderBy(b => b.Number))
                {
                    if (bulletin.Number <= machine.LastBulletin)
                        continue;
                    if (bulletin.Number != machine.LastBulletin + 1)
                        break;
                    if (hasMore && await db.Dockets.FindAsync([bulletin.Docket], stop) is null)
                    {
                        wanted = bulletin.Docket;
                        break;
                    }
                    machine.LastBulletin = bulletin.Number;
                    machine.LastSeen = time.GetUtcNow();
                    db.Bulletins.Add(
                        new BulletinRow
                        {
                            Machine = machineId,
                            Number = bulletin.Number,
                            Relocation = bulletin.Relocation,
                            Body = Column.Write(bulletin, ModelJson.Default.Bulletin),
                        }
                    );
                    if (await ApplyAsync(db, machine, bulletin, stop) is { } row)
                        touched.Add(row);
                    Measures.Bulletins.Add(1);
                    // The next one may be about what this one has added.
                    await db.SaveChangesAsync(stop);
                }
                foreach (var run in touched.Where(r => r.State.IsAtRest()).Select(r => r.Run).Distinct())
                    await runs.AdvanceAsync(db, run, stop);
                Tell(db.Effects, machineId, touched);
                if (hadToReport && !machine.HasToReport)
                    db.Effects.Wake(machineId);
                return new BulletinReceipt(machine.LastBulletin) { Wanted = wanted };
            },
            stop
        );
    }

    private static void Tell(Effects effects, Guid machine, List<RelocationRow> touched)
    {
        foreach (var row in touched)
        {
            if (row.State.IsAtRest())
                effects.Rest(row.Number);
            effects.Say("relocation", row.Number);
            effects.Say("run", row.Run);
        }
        if (touched.Count > 0)
            effects.Say("machine", machine);
    }

    private async Task<RelocationRow?> ApplyAsync(
        FurloughDb db,
        MachineRow machine,
        Bulletin bulletin,
        CancellationToken stop
    )
    {
        var docket = await db.Dockets.FindAsync([bulletin.Docket], stop);
        var row = docket is null ? null : await db.Relocations.FindAsync([docket.Relocation], stop);
        if (row is null || docket is null || row.Machine != machine.Id || docket.Machine != machine.Id)
        {
            db.Record(
                time.GetUtcNow(),
                machine.Name,
                HistoryEvent.UnknownDocketReported,
                About.Docket(bulletin.Docket),
                detail: Clock(bulletin)
            );
            return null;
        }
        // What the machine did belongs to the call that asked for it.
        db.Correlation = docket.Correlation;
        var isCurrent = row.Docket == bulletin.Docket || RelocationReport.IsFallBackAtDesk(docket, bulletin.State);
        var report = isCurrent ? RelocationReport.Of(row, docket, bulletin.State, bulletin.Live) : null;
        if (isCurrent && report is null)
        {
            TellRefused(db, machine, row, docket, bulletin);
            return null;
        }
        await KeepOriginalsAsync(db, row, docket, bulletin, stop);
        if (
            bulletin.State is RelocationState.Switched or RelocationState.Finished or RelocationState.Returned
            && await db.SpaceBreaks.FindAsync([machine.Id, Told(bulletin)], stop) is null
        )
            db.SpaceBreaks.Add(new SpaceBreakRow { Machine = machine.Id, At = Told(bulletin) });
        if (report is null)
            return null;
        Hear(db, machine, row, docket, report, bulletin);
        if (
            docket.Work == DocketWork.Relocate
            && bulletin.State == RelocationState.Switched
            && bulletin.Times.Count > 0
        )
            await Learning.KeepAsync(db, machine, row, bulletin.Times, stop);
        await errands.HeardAsync(
            db,
            row,
            docket.Work,
            (await hours.OfAsync(db, (await db.Runs.FindAsync([row.Run], stop))!, stop)).ErrandsWithin,
            stop
        );
        return row;
    }

    /// <summary>The relocation is what its machine says, and so is what is known of it.</summary>
    private void Hear(
        FurloughDb db,
        MachineRow machine,
        RelocationRow row,
        DocketRow docket,
        RelocationReport report,
        Bulletin bulletin
    )
    {
        if (row.State != report.Next)
            db.Record(
                Told(bulletin),
                machine.Name,
                HistoryEvent.StateChanged,
                About.Relocation(row.Number),
                row.State.Word(),
                report.Next.Word(),
                HoldingName.InWords(row.Holding, row.Account)
            );
        row.Hear(report, Told(bulletin));
        if (RelocationReport.IsEnd(bulletin.State))
            docket.EndedAs = bulletin.State;
        row.Step = bulletin.Step;
        if (docket.Work.MovesHolding())
            row.Live = bulletin.Live;
        if (docket.Work == DocketWork.Gather)
            row.GatheredAt = bulletin switch
            {
                { State: RelocationState.Gathering, Step: Step.Prepare } => Told(bulletin),
                { State: RelocationState.Failed or RelocationState.BackedOut or RelocationState.Refused } => null,
                _ => row.GatheredAt,
            };
        if (docket.Work == DocketWork.Relocate && bulletin.Pointers.Count > 0)
            row.Pointers = Column.Write(bulletin.Pointers, ModelJson.Default.IReadOnlyListPointerHistory);
        if (docket.Work == DocketWork.Relocate && bulletin.Times.Count > 0)
            row.Times = Column.Write(bulletin.Times, ModelJson.Default.IReadOnlyListStepTime);
        if (!report.KeepsFailure)
            row.Failure = bulletin.Failure is null ? null : Column.Write(bulletin.Failure, ModelJson.Default.Failure);
        if (bulletin.Notes.Count > 0)
            row.Notes = string.Join('\n', bulletin.Notes);
    }

    /// <summary>Once for each docket: a machine that goes on and on fills no history and sends no flood of mail.</summary>
    private void TellRefused(FurloughDb db, MachineRow machine, RelocationRow row, DocketRow docket, Bulletin bulletin)
    {
        if (docket.HasRefusedReport)
            return;
        docket.HasRefusedReport = true;
        db.Record(
            time.GetUtcNow(),
            machine.Name,
            HistoryEvent.ReportRefused,
            About.Relocation(row.Number),
            row.State.Word(),
            bulletin.State.Word(),
            docket.EndedAs is { } end
                ? $"its {docket.Work.Word()} docket had ended: {end.Word()}"
                : $"a {docket.Work.Word()} docket cannot become that now"
        );
    }

    /// <summary>
    /// When it happened, as far as the machine's clock can be believed: never in the service's future, and not before
    /// what its last contact allows.
    /// </summary>
    private DateTimeOffset Told(Bulletin bulletin) =>
        bulletin.At > time.GetUtcNow() || time.GetUtcNow() - bulletin.At > LongestAway ? time.GetUtcNow() : bulletin.At;

    private static readonly TimeSpan LongestAway = TimeSpan.FromDays(400);

    private static string Clock(Bulletin bulletin) => $"the machine's clock said {bulletin.At:u}";

    private static async Task KeepOriginalsAsync(
        FurloughDb db,
        RelocationRow row,
        DocketRow docket,
        Bulletin bulletin,
        CancellationToken stop
    )
    {
        if (bulletin.Original is { } original && !await db.Originals.AnyAsync(o => o.Docket == original.Docket, stop))
        {
            var keep = Column.PlannedOf(row).Keep ?? (await db.Runs.FindAsync([row.Run], stop))!.Keep;
            db.Originals.Add(
                new OriginalRow
                {
                    Docket = original.Docket,
                    Machine = row.Machine,
                    Relocation = row.Number,
                    Body = Column.Write(original, ModelJson.Default.OriginalFacts),
                    KeptUntil = original.SetAside + keep,
                }
            );
        }
        if (bulletin.LiveAgain is { } back)
            db.Originals.RemoveRange(
                await db.Originals.Where(o => o.Docket == back && o.Relocation == row.Number).ToListAsync(stop)
            );
        if (RelocationReport.IsFallBackAtDesk(docket, bulletin.State))
            db.Originals.RemoveRange(await db.Originals.Where(o => o.Docket == docket.Id).ToListAsync(stop));
        if (
            (docket.Work, bulletin.State)
            is not ((DocketWork.Discard, RelocationState.Finished) or (DocketWork.FallBack, RelocationState.Returned))
        )
            return;
        foreach (var gone in Column.Read(docket.Body, ModelJson.Default.Docket).Originals)
            db.Originals.RemoveRange(await db.Originals.Where(o => o.Docket == gone).ToListAsync(stop));
    }
}
