using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>Brings a run forward: wave after wave, until everything is at rest or too much has failed. All it knows is in storage, so it goes on after a restart.</summary>
public sealed class RunControl(DocketDesk desk, TimeProvider time)
{
    /// <summary>Starts the next wave when the one before is at rest; ends or halts the run. Returns machines for which dockets wait.</summary>
    public async Task<IReadOnlyCollection<Guid>> AdvanceAsync(FurloughDb db, long number, CancellationToken stop)
    {
        var run = (await db.Runs.FindAsync([number], stop))!;
        if (run.State == RunState.Ended) return [];
        // Rows changed in this transaction are tracked and must be seen as they are now.
        var rows = await db.Relocations.Where(r => r.Run == number).ToListAsync(stop);
        var failed = rows.Count(r => r.State == RelocationState.Failed);
        if (run.State == RunState.Running && run.HaltAfter is { } limit && failed >= limit) Halt(db, run, rows, "furlough", $"{Words.Count(failed, "failure")}");

        HashSet<Guid> wake = [];
        var waves = run.Waves.Split('\n');
        while (run.State == RunState.Running)
        {
            var current = rows.Where(r => r.Wave == waves[run.Wave]).ToList();
            foreach (var row in current.Where(r => r.State == RelocationState.Planned).OrderBy(r => r.Sequence))
            {
                await desk.IssueRelocateAsync(db, row, byItself: false, stop);
                row.State = RelocationState.Queued;
                row.AsOf = time.GetUtcNow();
                wake.Add(row.Machine);
            }
            if (!current.All(r => r.State.IsAtRest()) || run.Wave + 1 >= waves.Length) break;
            run.Wave++;
            db.Record(time.GetUtcNow(), "furlough", "wave begun", $"run {run.Number}", null, waves[run.Wave]);
        }
        if (rows.All(r => r.State.IsAtRest())) End(db, run);
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
            row.Failure = Column.Write(new Failure("run-halted", $"Run {run.Number} was halted ({why}) before the turn of {row.Holding} of {row.Account}.", "Nothing has changed; the data lives at its source.",
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
