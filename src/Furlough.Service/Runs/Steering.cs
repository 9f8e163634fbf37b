using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Plans;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>What people do to a run that is under way.</summary>
public sealed class Steering(Store store, RunControl control, RunViews views, TimeProvider time)
{
    /// <summary>
    /// Begins nothing further for now. Accounts that are locked out already can sign in again as soon as the work
    /// allows.
    /// </summary>
    public Task<RunView> PauseAsync(long number, SeenRun seen, string who, CancellationToken stop) =>
        SteerAsync(number, seen, RunChange.Pause, (db, run) => Set(db, run, RunChange.Pause, who), stop);

    /// <summary>Goes on.</summary>
    public Task<RunView> ResumeAsync(long number, SeenRun seen, string who, CancellationToken stop) =>
        SteerAsync(number, seen, RunChange.Resume, (db, run) => Set(db, run, RunChange.Resume, who), stop);

    /// <summary>Begins nothing further; what is not repointed yet is undone.</summary>
    public Task<RunView> HaltAsync(long number, SeenRun seen, string who, CancellationToken stop) =>
        SteerAsync(number, seen, RunChange.Halt, (db, run) => control.HaltAsync(db, run, who, "asked for", stop), stop);

    /// <summary>A second person lets a proposed run begin.</summary>
    /// <exception cref="RefusedException"><c>second-person-wanted</c></exception>
    public Task<RunView> ApproveAsync(long number, SeenRun seen, string who, CancellationToken stop) =>
        SteerAsync(
            number,
            seen,
            RunChange.Approve,
            async (db, run) =>
            {
                if (run.StartedBy == who)
                    throw RefusedException.Conflict(
                        "second-person-wanted",
                        $"Run {number} was started by {who}, and its brief requires a second person's approval.",
                        "Have someone else with the access level approver or steward look at its plan and approve it."
                    );
                await PlanState.RequireNotOvertakenAsync(
                    db,
                    run.Plan,
                    Column.Read((await Find.PlanAsync(db, run.Plan, stop)).Body, ModelJson.Default.PlanBody),
                    stop
                );
                run.ApprovedBy = who;
                await Set(db, run, RunChange.Approve, who);
            },
            stop
        );

    /// <summary>Asks the same of every relocation of a run that failed, for one cause or for any.</summary>
    /// <param name="seen">Looked at before the first of them.</param>
    /// <param name="cause">A failure's code; null for all.</param>
    /// <exception cref="RefusedException"/>
    public async Task<ManyDone> OfFailedAsync(
        long number,
        SeenRun seen,
        string? cause,
        Func<long, Task> ask,
        CancellationToken stop
    )
    {
        var failed = await FailedAsync(number, seen, cause, stop);
        if (failed.Count == 0)
            throw RefusedException.Missing(
                cause is null ? $"failure in run {number}" : $"failure {cause} in run {number}",
                $"`furlough run show {number}` lists what failed, by cause."
            );
        List<long> done = [];
        List<string> refusals = [];
        foreach (var relocation in failed)
        {
            try
            {
                await ask(relocation);
                done.Add(relocation);
            }
            catch (RefusedException refused)
            {
                refusals.Add($"{relocation}: {refused.Message}");
            }
        }
        return new ManyDone(done, refusals);
    }

    private Task<List<long>> FailedAsync(long number, SeenRun seen, string? cause, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                await Find.RunAsync(db, number, stop);
                await seen.RequireAsync(db, number, stop);
                var rows = await db
                    .Relocations.Where(r =>
                        r.Run == number
                        && (
                            r.State == RelocationState.Failed
                            || r.State == RelocationState.BackedOut
                            || r.State == RelocationState.Refused
                        )
                        && r.Failure != null
                    )
                    .OrderBy(r => r.Number)
                    .ToListAsync(stop);
                return rows.Where(r =>
                        cause is null || Column.Read(r.Failure!, ModelJson.Default.Failure).Code == cause
                    )
                    .Select(r => r.Number)
                    .ToList();
            },
            stop
        );

    private Task Set(FurloughDb db, RunRow run, RunChange change, string who)
    {
        run.Ask(change);
        db.Record(time.GetUtcNow(), who, change.Event, About.Run(run.Number));
        return Task.CompletedTask;
    }

    private async Task<RunView> SteerAsync(
        long number,
        SeenRun seen,
        RunChange change,
        Func<FurloughDb, RunRow, Task> steer,
        CancellationToken stop
    )
    {
        return await store.WriteAsync(
            async db =>
            {
                var run = await Find.RunAsync(db, number, stop);
                await seen.RequireAsync(db, number, stop);
                change.Require(
                    run,
                    await SeenRun.LastAsync(db, number, stop) is { } last ? SeenRun.InWords(last) : null
                );
                await steer(db, run);
                await db.SaveChangesAsync(stop);
                await control.AdvanceAsync(db, number, stop);
                await db.SaveChangesAsync(stop);
                db.Effects.Say("run", number);
                db.Effects.Wake(
                    await db
                        .Relocations.Where(r => r.Run == number && RunControl.NotAtRest.Contains(r.State))
                        .Select(r => r.Machine)
                        .ToListAsync(stop)
                );
                return await views.OfAsync(db, run, stop);
            },
            stop
        );
    }
}
