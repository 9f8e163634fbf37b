using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>What people do with errands, and what follows for the relocations that wait.</summary>
public sealed class ErrandActions(Store store, Acting acting, DrillDesk drills, Freshness freshness, TimeProvider time)
{
    /// <summary>Someone will do it.</summary>
    /// <param name="claimant">The person or the role that will.</param>
    public Task<ErrandView> ClaimAsync(long number, string claimant, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            ErrandState.Claimed,
            claimant,
            (_, row) =>
            {
                row.Claim(claimant, time.GetUtcNow());
                return Task.CompletedTask;
            },
            stop
        );

    /// <summary>It is done: what waited for it begins, and what failed for want of it is tried again.</summary>
    public async Task<ErrandView> FinishAsync(long number, string? remark, string who, CancellationToken stop)
    {
        await RequireRestartAsync(number, stop);
        List<long> again = [];
        var view = await ActAsync(
            number,
            who,
            ErrandState.Finished,
            remark,
            async (db, row) =>
            {
                if (row.Cause == ErrandCause.Beforehand)
                    await ErrandDesk.BeginAsync(db, row, who, stop);
                if (row.Cause == ErrandCause.Failed)
                    again = (await ErrandDesk.ConcernedAsync(db, row, stop)).ConvertAll(r => r.Number);
            },
            stop
        );
        foreach (var failed in again)
            await acting.RetryAsync(failed, who, stop);
        return view;
    }

    /// <summary>
    /// Whether a machine was restarted it knows itself: with its survey the errand is finished by then. One that does
    /// not say so, or is away, is someone's word.
    /// </summary>
    private async Task RequireRestartAsync(long number, CancellationToken stop)
    {
        var errand = await store.ReadAsync(db => Find.ErrandAsync(db, number, stop), stop);
        if (
            errand.Kind != ErrandKind.Restart
            || !errand.State.IsToDo()
            || !await freshness.SurveyAsync(errand.Machine, stop)
        )
            return;
        await store.ReadAsync(
            async db =>
            {
                var (row, machine) = (
                    await Find.ErrandAsync(db, number, stop),
                    (await db.Machines.FindAsync([errand.Machine], stop))!
                );
                if (row.State.IsToDo() && (await Surveys.OfAsync(db, machine.Id, stop))?.StartedAt is { } started)
                    throw RefusedException.Conflict(
                        "not-restarted",
                        $"{machine.Name} runs since {started:yyyy-MM-dd HH:mm}Z, and errand {number} was raised "
                            + $"at {row.RaisedAt:yyyy-MM-dd HH:mm}Z: it has not been restarted.",
                        "Restart it; the errand is finished automatically then."
                    );
                return 0;
            },
            stop
        );
    }

    /// <summary>It will not be done: what waits for it is undone, so that nothing waits for ever.</summary>
    public Task<ErrandView> DeclineAsync(long number, string reason, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            ErrandState.Declined,
            reason,
            async (db, row) =>
            {
                if (row.Cause is not (ErrandCause.Beforehand or ErrandCause.InTheWay))
                    return;
                foreach (
                    var waiting in (await ErrandDesk.ConcernedAsync(db, row, stop)).Where(r =>
                        r.State is RelocationState.Queued or RelocationState.Waiting
                        && (r.BegunBy is null || row.Cause == ErrandCause.InTheWay)
                    )
                )
                {
                    waiting.BackOutWanted = true;
                    db.Record(
                        time.GetUtcNow(),
                        who,
                        HistoryEvent.BackOut,
                        About.Relocation(waiting.Number),
                        waiting.State.Word(),
                        detail: $"errand {row.Number} was declined"
                    );
                }
            },
            stop
        );

    private async Task<ErrandView> ActAsync(
        long number,
        string who,
        ErrandState next,
        string? words,
        Func<FurloughDb, ErrandRow, Task> act,
        CancellationToken stop
    )
    {
        return await store.WriteAsync(
            async db =>
            {
                var row = await Find.ErrandAsync(db, number, stop);
                row.RequireToDo();
                var before = row.State;
                await act(db, row);
                db.Record(
                    time.GetUtcNow(),
                    who,
                    next switch
                    {
                        ErrandState.Claimed => HistoryEvent.ErrandClaimed,
                        ErrandState.Finished => HistoryEvent.ErrandFinished,
                        _ => HistoryEvent.ErrandDeclined,
                    },
                    About.Errand(number),
                    before.Word(),
                    next.Word(),
                    words
                );
                if (!next.IsToDo())
                    row.End(next, who, time.GetUtcNow(), words);
                await db.SaveChangesAsync(stop);
                db.Effects.Wake(row.Machine);
                db.Effects.Say("errand", number);
                db.Effects.Say("machine", row.Machine);
                var at = (await db.Machines.FindAsync([row.Machine], stop))!;
                if (row.Cause == ErrandCause.Drill && await Surveys.OfAsync(db, at.Id, stop) is { } survey)
                    await drills.GoOnAsync(db, at, survey, stop);
                return ErrandViews.Of(row, at, time);
            },
            stop
        );
    }
}
