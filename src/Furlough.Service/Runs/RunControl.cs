using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Errands;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>Brings a run forward: wave after wave, until everything is at rest or too much has failed. All it knows is in storage, so it goes on after a restart.</summary>
public sealed class RunControl(DocketDesk desk, ErrandDesk errands, RunHours hours, TimeProvider time)
{
    internal static readonly RelocationState[] AtRest = [.. Enum.GetValues<RelocationState>().Where(s => s.IsAtRest())];

    /// <summary>Starts the next wave when the one before is at rest; ends or halts the run. Returns machines for which dockets wait.</summary>
    public async Task<IReadOnlyCollection<Guid>> AdvanceAsync(FurloughDb db, long number, CancellationToken stop)
    {
        var run = (await db.Runs.FindAsync([number], stop))!;
        if (run.State == RunState.Ended) return [];
        var all = db.Relocations.Where(r => r.Run == number);
        var failed = await all.CountAsync(r => r.State == RelocationState.Failed, stop);
        if (run.State == RunState.Running && run.HaltAfter is { } limit && failed >= limit)
            Halt(db, run, await all.Where(r => r.State == RelocationState.Planned).ToListAsync(stop), "furlough", $"{Words.Count(failed, "failure")}");

        HashSet<Guid> wake = [];
        var waves = run.Waves.Split('\n');
        while (run.State == RunState.Running)
        {
            var wave = waves[run.Wave];
            foreach (var row in await all.Where(r => r.Wave == wave && r.State == RelocationState.Planned).OrderBy(r => r.Sequence).ToListAsync(stop))
            {
                await desk.IssueRelocateAsync(db, row, byItself: false, stop);
                await errands.RaiseBeforehandAsync(db, row, (await hours.OfAsync(db, run, stop)).ErrandsWithin, stop);
                row.State = RelocationState.Queued;
                row.AsOf = time.GetUtcNow();
                wake.Add(row.Machine);
            }
            await db.SaveChangesAsync(stop);
            if (await all.AnyAsync(r => r.Wave == wave && !AtRest.Contains(r.State), stop) || run.Wave + 1 >= waves.Length) break;
            run.Wave++;
            db.Record(time.GetUtcNow(), "furlough", "wave begun", $"run {run.Number}", null, waves[run.Wave]);
        }
        await db.SaveChangesAsync(stop);
        if (!await all.AnyAsync(r => !AtRest.Contains(r.State), stop)) End(db, run);
        return wake;
    }

    /// <summary>Nothing further is begun; what is repointed already goes on to its end, the rest is undone as it meets its missing permit.</summary>
    public void Halt(FurloughDb db, RunRow run, IEnumerable<RelocationRow> rows, string by, string why)
    {
        run.State = RunState.Halted;
        db.Record(time.GetUtcNow(), by, "run halted", $"run {run.Number}", null, why);
        foreach (var row in rows.Where(r => r.State == RelocationState.Planned))
        {
            row.State = RelocationState.Refused;
            row.AsOf = time.GetUtcNow();
            row.Failure = Column.Write(new Failure("run-halted", $"Run {run.Number} was halted ({why}) before the turn of {HoldingName.InWords(row.Holding, row.Account)}.", "Nothing has changed; the data lives at its source.",
                $"Look at the failures, then `furlough relocation retry {row.Number}`."), ModelJson.Default.Failure);
        }
    }

    private void End(FurloughDb db, RunRow run)
    {
        run.State = RunState.Ended;
        run.EndedAt = time.GetUtcNow();
        db.Record(time.GetUtcNow(), "furlough", "run ended", $"run {run.Number}");
    }
}
