using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Kinds;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>What waits for agents: dockets, wishes, kind cards, permits.</summary>
public sealed class AgentPolls(
    DocketSignals signals,
    WishDesk wishDesk,
    KindDesk kindDesk,
    DocketDesk dockets,
    Store store,
    LiveHub live
)
{
    private const int LongestWaitSeconds = 30,
        MostDocketsAtOnce = 50;

    /// <summary>
    /// What waits for a machine; where nothing does, what comes within the time that its agent is ready to wait.
    /// </summary>
    /// <param name="after">The last docket that it has.</param>
    /// <param name="wishes">Tag of the wishes that it knows; null where it takes none.</param>
    /// <param name="kinds">Tag of the kind cards that it knows.</param>
    /// <param name="wait">Seconds.</param>
    /// <param name="trouble">What its agent complains of, as a word.</param>
    /// <param name="ending">The service ends: whoever waits is answered.</param>
    public async Task<DocketBatch> DocketsAsync(
        Guid machine,
        long after,
        string? wishes,
        string? kinds,
        int wait,
        string? trouble,
        CancellationToken ending,
        CancellationToken stop
    )
    {
        live.Told(machine, trouble is null ? null : Words.Find<AgentTrouble>(trouble));
        var signal = signals.Next(machine);
        var batch = await LookAsync(machine, after, kinds, stop);
        if (
            batch.Dockets.Count > 0
            || batch.SurveyRequest is not null
            || batch.Kinds is not null
            || (wishes is not null && wishes != batch.Wishes.Tag())
            || wait <= 0
        )
            return batch;
        using var ends = CancellationTokenSource.CreateLinkedTokenSource(stop, ending);
        await Task.WhenAny(signal, Task.Delay(TimeSpan.FromSeconds(Math.Min(wait, LongestWaitSeconds)), ends.Token));
        stop.ThrowIfCancellationRequested();
        live.Seen(machine);
        return await LookAsync(machine, after, kinds, stop);
    }

    private async Task<DocketBatch> LookAsync(Guid machine, long after, string? kinds, CancellationToken stop)
    {
        var batch = await FindAsync(machine, after, kinds, stop);
        if (batch.Dockets.Count == 0)
            return batch;
        // Written down before they leave: what was never handed out can be called back for certain. What is called back
        // at this moment is not handed out.
        var kept = await dockets.HandAsync(store, machine, [.. batch.Dockets.Select(d => d.Number)], stop);
        return batch with { Dockets = [.. batch.Dockets.Where(d => kept.Contains(d.Number))] };
    }

    private Task<DocketBatch> FindAsync(Guid machine, long after, string? kinds, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var row = await db
                    .Machines.Where(m => m.Id == machine)
                    .Select(m => new
                    {
                        m.Name,
                        m.Suspect,
                        HasToReport = m.UnknownAfter != null || m.LastBulletin < m.AwaitedBulletin,
                        m.SurveyWanted,
                        m.SurveyRequest,
                    })
                    .FirstAsync(stop);
                var dockets =
                    row.Suspect || row.HasToReport
                        ? []
                        : await db
                            .Dockets.Where(d => d.Machine == machine && d.Number > after && !d.Withdrawn)
                            .OrderBy(d => d.Number)
                            .Take(MostDocketsAtOnce)
                            .Select(d => new DocketEnvelope(d.Number, d.Signed))
                            .ToListAsync(stop);
                var signed = await kindDesk.SignedAsync(db, row.Name, stop);
                return new DocketBatch(
                    dockets,
                    row.SurveyWanted ? row.SurveyRequest : null,
                    await wishDesk.OfAsync(db, machine, stop),
                    signed.Tag == (kinds ?? "") ? null : signed
                );
            },
            stop
        );

    /// <summary>Lets a machine go on with a docket, or says why it may not now.</summary>
    /// <exception cref="RefusedException"><c>permit-refused</c>, <c>permit-not-now</c></exception>
    public Task<PermitResponse> PermitAsync(Guid machine, PermitRequest request, CancellationToken stop)
    {
        return store.ReadAsync(
            async db =>
            {
                var docket = await db.Dockets.FirstOrDefaultAsync(
                    d => d.Id == request.Docket && d.Machine == machine,
                    stop
                ) ?? throw RefusedException.Missing("such docket", "Survey the machine.");
                var relocation = await db.Relocations.FirstAsync(r => r.Number == docket.Relocation, stop);
                var run = await db.Runs.FirstAsync(r => r.Number == relocation.Run, stop);
                if (docket.Withdrawn)
                    throw RefusedException.Conflict(
                        "permit-refused",
                        $"The docket of relocation {relocation.Number} was called back.",
                        "Nothing further is begun."
                    );
                if (relocation.Docket != docket.Id || (!docket.ByItself && run.State == RunState.Halted))
                    throw RefusedException.Conflict(
                        "permit-refused",
                        $"Run {run.Number} is halted.",
                        "Nothing further is begun."
                    );
                var held = await db.Machines.AnyAsync(m => m.Id == machine && m.HeldBy != null, stop);
                // Anyone who is locked out already is not locked out longer by a wish to rest.
                if (
                    !request.KeptOut
                    && (await wishDesk.OfAsync(db, relocation, docket.ByItself, held, run, stop)).Rests()
                )
                    throw RefusedException.Conflict(
                        "permit-not-now",
                        $"Relocation {relocation.Number} is to rest for the moment.",
                        "The machine continues automatically."
                    );
                return new PermitResponse(dockets.Permit(docket.Id, machine));
            },
            stop
        );
    }
}
