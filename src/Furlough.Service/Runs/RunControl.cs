using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Errands;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>
/// Brings a run forward: wave after wave, until everything is at rest or too much has failed. All it knows is in
/// storage, so it goes on after a restart.
/// </summary>
public sealed class RunControl(DocketDesk desk, ErrandDesk errands, RunHours hours, LiveHub live, TimeProvider time)
{
    /// <summary>Named one by one, so that the storage finds them by its index.</summary>
    internal static readonly RelocationState[] NotAtRest =
    [
        .. Enum.GetValues<RelocationState>().Where(s => !s.IsAtRest()),
    ];

    /// <summary>
    /// Starts the next wave when the one before is at rest; ends or halts the run.
    /// </summary>
    public async Task<RunRow> AdvanceAsync(FurloughDb db, long number, CancellationToken stop)
    {
        var run = (await db.Runs.FindAsync([number], stop))!;
        if (run.State == RunState.Ended)
            return run;
        var all = db.Relocations.Where(r => r.Run == number);
        await HaltAfterFailuresAsync(db, run, all, stop);

        var waves = run.Waves.Split('\n');
        while (run.State == RunState.Running)
        {
            var wave = waves[run.Wave];
            await BeginAsync(
                db,
                run,
                await all.Where(r => r.Wave == wave && r.State == RelocationState.Planned)
                    .OrderBy(r => r.Sequence)
                    .ToListAsync(stop),
                stop
            );
            await db.SaveChangesAsync(stop);
            if (
                await all.AnyAsync(r => r.Wave == wave && NotAtRest.Contains(r.State), stop)
                || run.Wave + 1 >= waves.Length
            )
                break;
            run.Wave++;
            db.Record(
                time.GetUtcNow(),
                "furlough",
                HistoryEvent.WaveBegun,
                About.Run(run.Number),
                detail: waves[run.Wave]
            );
        }
        await db.SaveChangesAsync(stop);
        if (await IsOverAsync(db, run, all, stop))
            End(db, run);
        return run;
    }

    private async Task HaltAfterFailuresAsync(
        FurloughDb db,
        RunRow run,
        IQueryable<RelocationRow> all,
        CancellationToken stop
    )
    {
        var failed = await all.CountAsync(r => r.State == RelocationState.Failed, stop);
        if (run.State == RunState.Running && run.HaltAfter is { } limit && failed >= limit)
            await HaltAsync(db, run, "furlough", $"{Words.Count(failed, "failure")}", stop);
    }

    /// <summary>Begins those whose machine's turn it is.</summary>
    private async Task BeginAsync(FurloughDb db, RunRow run, List<RelocationRow> planned, CancellationToken stop)
    {
        var turn = await TurnAsync(db, run, planned, stop);
        foreach (var row in planned.Where(r => turn.Contains(r.Machine)))
        {
            await desk.IssueRelocateAsync(db, row, byItself: false, stop);
            await errands.RaiseBeforehandAsync(db, row, (await hours.OfAsync(db, run, stop)).ErrandsWithin, stop);
            row.Ask(RelocationRequest.Turn, time.GetUtcNow());
            db.Effects.Wake(row.Machine);
            db.Effects.Say("run", run.Number);
        }
    }

    /// <summary>
    /// Nothing is under way; in a halted run, nothing on a machine that is connected: what a silent one does is shown
    /// when it is seen again.
    /// </summary>
    private async Task<bool> IsOverAsync(
        FurloughDb db,
        RunRow run,
        IQueryable<RelocationRow> all,
        CancellationToken stop
    )
    {
        var underWay = await all.Where(r => NotAtRest.Contains(r.State))
            .Select(r => r.Machine)
            .Distinct()
            .ToListAsync(stop);
        if (underWay.Count == 0 || run.State != RunState.Halted)
            return underWay.Count == 0;
        return (
            await db
                .Machines.Where(m => underWay.Contains(m.Id))
                .Select(m => new { m.Id, m.LastSeen })
                .ToListAsync(stop)
        ).TrueForAll(m => live.IsSilent(m.Id, m.LastSeen));
    }

    private static bool WaitsForPerson(string? failure) =>
        failure is not null
        && FaultKinds.Find(Column.Read(failure, ModelJson.Default.Failure).Code)?.IsEndedByPerson == true;

    /// <summary>
    /// The machines of a wave whose turn it is: as many as may be worked on at once. One that is silent or waits for a
    /// person takes nobody's turn, and goes on when it can.
    /// </summary>
    private async Task<HashSet<Guid>> TurnAsync(
        FurloughDb db,
        RunRow run,
        List<RelocationRow> planned,
        CancellationToken stop
    )
    {
        var atOnce = new AtOnce(run.MostMachines, run.MostPerRoom, run.MostPerVolume);
        var turn = planned.Select(r => r.Machine).ToHashSet();
        if (atOnce == AtOnce.All || turn.Count == 0)
            return turn;
        var begun = await db
            .Relocations.Where(r =>
                r.Run == run.Number && r.State != RelocationState.Planned && NotAtRest.Contains(r.State)
            )
            .Select(r => new
            {
                r.Machine,
                r.State,
                r.Failure,
                r.Planned,
            })
            .ToListAsync(stop);
        var atWork = begun
            .Where(r => r.State != RelocationState.Waiting || !WaitsForPerson(r.Failure))
            .Select(r => r.Machine)
            .ToHashSet();
        var machines = await db
            .Machines.Where(m => turn.Contains(m.Id) || atWork.Contains(m.Id))
            .Select(m => new
            {
                m.Id,
                m.Name,
                m.Room,
                m.LastSeen,
            })
            .ToListAsync(stop);
        var works = begun
            .Select(r => (r.Machine, r.Planned))
            .Concat(planned.Select(r => (r.Machine, r.Planned)))
            .ToLookup(r => r.Machine, r => r.Planned);
        MachineAtWork Work(Guid machine, string room) =>
            atOnce.PerVolume is null
                ? new MachineAtWork(room, new HashSet<string>())
                : MachineAtWork.On(room, works[machine].Select(Column.PlannedOf));
        var heard = machines.Where(m => !live.IsSilent(m.Id, m.LastSeen)).ToList();
        List<MachineAtWork> busy = [.. heard.Where(m => atWork.Contains(m.Id)).Select(m => Work(m.Id, m.Room))];
        foreach (
            var machine in heard
                .Where(m => turn.Contains(m.Id) && !atWork.Contains(m.Id))
                .OrderBy(m => m.Name, StringComparer.Ordinal)
        )
        {
            var work = Work(machine.Id, machine.Room);
            if (atOnce.Allows(busy, work))
                busy.Add(work);
            else
                turn.Remove(machine.Id);
        }
        return turn;
    }

    /// <summary>
    /// Nothing further is begun, and what no machine has begun is called back; what is repointed already goes on to its
    /// end, the rest is undone as it meets its missing permit.
    /// </summary>
    public async Task HaltAsync(FurloughDb db, RunRow run, string by, string why, CancellationToken stop)
    {
        run.Ask(RunChange.Halt);
        db.Effects.Say("run", run.Number);
        db.Record(time.GetUtcNow(), by, HistoryEvent.RunHalted, About.Run(run.Number), detail: why);
        foreach (
            var row in await db
                .Relocations.Where(r =>
                    r.Run == run.Number && (r.State == RelocationState.Planned || r.State == RelocationState.Queued)
                )
                .ToListAsync(stop)
        )
        {
            // Asked for separately: no run stops it.
            if (
                row.State == RelocationState.Queued
                && await db.Dockets.AnyAsync(d => d.Id == row.Docket && d.ByItself, stop)
            )
                continue;
            var mayHaveIt = row.State == RelocationState.Queued && await DocketDesk.WithdrawAsync(db, row, stop);

            row.Ask(RelocationRequest.Halt, time.GetUtcNow(), Halted(run, row, why, mayHaveIt));
        }
    }

    private static Failure Halted(RunRow run, RelocationRow row, string why, bool mayHaveIt)
    {
        var where = mayHaveIt
            ? "Its docket may have reached the machine and was called back: the machine undoes what it may have begun."
            : "Nothing has changed; the data lives at its source.";
        return new Failure(
            "run-halted",
            $"Run {run.Number} was halted ({why}) before the turn of {HoldingName.InWords(row.Holding, row.Account)}.",
            where,
            "Look at the failures first."
        )
        {
            Next = NextStep.Retry,
            Relocation = row.Number,
        };
    }

    private void End(FurloughDb db, RunRow run)
    {
        run.Ask(RunChange.End);
        db.Effects.Say("run", run.Number);
        run.EndedAt = time.GetUtcNow();
        db.Record(time.GetUtcNow(), "furlough", HistoryEvent.RunEnded, About.Run(run.Number));
    }
}
