using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>What people do to a run that is under way.</summary>
public sealed class Steering(Store store, RunControl control, RunHours hours, DocketSignals signals, LiveHub live, TimeProvider time)
{
    /// <summary>Begins nothing further for now. Who is kept out already is let in as soon as the work allows.</summary>
    public Task<RunView> PauseAsync(long number, string who, CancellationToken stop) => SteerAsync(number, [RunState.Running], "paused", (db, run) => Set(db, run, RunState.Paused, who, "run paused"), stop);

    /// <summary>Goes on.</summary>
    public Task<RunView> ResumeAsync(long number, string who, CancellationToken stop) => SteerAsync(number, [RunState.Paused], "resumed", (db, run) => Set(db, run, RunState.Running, who, "run resumed"), stop);

    /// <summary>Begins nothing further; what is not repointed yet is undone.</summary>
    public Task<RunView> HaltAsync(long number, string who, CancellationToken stop) => SteerAsync(number, [RunState.Running, RunState.Paused], "halted",
        async (db, run) => control.Halt(db, run, await db.Relocations.Where(r => r.Run == number).ToListAsync(stop), who, "asked for"), stop);

    private Task Set(FurloughDb db, RunRow run, RunState state, string who, string action)
    {
        run.State = state;
        db.Record(time.GetUtcNow(), who, action, $"run {run.Number}");
        return Task.CompletedTask;
    }

    private async Task<RunView> SteerAsync(long number, RunState[] from, string what, Func<FurloughDb, RunRow, Task> steer, CancellationToken stop)
    {
        HashSet<Guid> wake = [];
        var view = await store.WriteAsync(async db =>
        {
            var run = await RunEndpoints.FindAsync(db, number, stop);
            if (!from.Contains(run.State)) throw ProblemException.Conflict("run-state-refused", $"Run {number} is {run.State.Word()} and cannot be {what}.", $"It must be {string.Join(" or ", from.Select(s => s.Word()))}.");
            await steer(db, run);
            await db.SaveChangesAsync(stop);
            await control.AdvanceAsync(db, number, stop);
            await db.SaveChangesAsync(stop);
            wake.UnionWith(await db.Relocations.Where(r => r.Run == number && !RunControl.AtRest.Contains(r.State)).Select(r => r.Machine).ToListAsync(stop));
            return await RunEndpoints.ViewAsync(db, run, hours, stop);
        }, stop);
        signals.Raise(wake);
        live.Say("run", number);
        return view;
    }
}
