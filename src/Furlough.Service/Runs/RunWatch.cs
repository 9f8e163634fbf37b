using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>
/// Looks after runs in which a machine that falls silent matters, because nobody reports that: where only so many are
/// worked on at once it is another's turn, and a halted run ends.
/// </summary>
public sealed class RunWatch(Store store, RunControl control, Leases leases, TimeProvider time, ILogger<RunWatch> log)
    : LeasedWork("runs", TimeSpan.FromSeconds(15), leases, time, log)
{
    /// <summary>Brings forward what may go on although nothing was reported.</summary>
    protected override async Task<bool> WorkAsync(Lease lease, CancellationToken stop)
    {
        var runs = await store.ReadAsync(
            db =>
                db.Runs.Where(r =>
                        r.State == RunState.Halted
                        || r.State == RunState.Running
                            && (r.MostMachines != null || r.MostPerRoom != null || r.MostPerVolume != null)
                    )
                    .Select(r => r.Number)
                    .ToListAsync(stop),
            stop
        );
        foreach (var run in runs)
            await store.WriteAsync(lease, db => control.AdvanceAsync(db, run, stop), stop);
        return false;
    }
}
