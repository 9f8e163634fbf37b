using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>Runs: started, looked at.</summary>
public sealed class RunDesk(Store store, RunControl control, RunViews views, TimeProvider time)
{
    /// <summary>The latest 200.</summary>
    public Task<List<RunSummary>> ListAsync(Page page, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                await RunViews.SummariesAsync(
                    db,
                    await db
                        .Runs.Where(r => page.Beyond == null || r.Number < page.Beyond)
                        .OrderByDescending(r => r.Number)
                        .Take(page.Limit)
                        .ToListAsync(stop),
                    stop
                ),
            stop
        );

    /// <summary>One by its number, and its tag: what <see cref="SeenRun"/> is for someone who saw it now.</summary>
    public Task<(RunView View, string? Tag)> OneAsync(long number, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                (
                    await views.OfAsync(db, await Find.RunAsync(db, number, stop), stop),
                    await SeenRun.TagOfAsync(db, number, stop)
                ),
            stop
        );

    /// <summary>Begins to carry out a plan; where its brief asks for it, a second person must approve first.</summary>
    /// <exception cref="RefusedException">The plan cannot be carried out as it is, and why.</exception>
    public async Task<RunView> StartAsync(long plan, string who, CancellationToken stop)
    {
        return await store.WriteAsync(
            async db =>
            {
                var planned = await Find.PlanAsync(db, plan, stop);
                var body = Column.Read(planned.Body, ModelJson.Default.PlanBody);
                await RequireStartableAsync(db, planned, body, stop);
                var now = time.GetUtcNow();
                var run = NewRun(plan, body, who, now);
                db.Runs.Add(run);
                await db.SaveChangesAsync(stop);
                AddRelocations(db, body, run.Number, now);
                await KeepReservesAsync(db, body, stop);
                db.Record(
                    now,
                    who,
                    body.WantsApproval ? HistoryEvent.RunProposed : HistoryEvent.RunStarted,
                    About.Run(run.Number),
                    detail: $"plan {plan}"
                );
                await db.SaveChangesAsync(stop);
                db.Effects.Say("run", run.Number);
                await control.AdvanceAsync(db, run.Number, stop);
                await db.SaveChangesAsync(stop);
                return await views.OfAsync(db, run, stop);
            },
            stop
        );
    }

    private static void AddRelocations(FurloughDb db, PlanBody body, long run, DateTimeOffset now)
    {
        var hazards = body
            .Hazards.Where(h => h.Severity == Severity.Blocking)
            .ToLookup(h => (h.Machine, h.Account, h.Holding));
        foreach (var relocation in body.Relocations)
            db.Relocations.Add(
                NewRow(
                    relocation,
                    run,
                    now,
                    hazards[(relocation.MachineName, relocation.Holding.Account, relocation.Holding.Name)]
                        .FirstOrDefault()
                )
            );
    }

    private static RunRow NewRun(long plan, PlanBody body, string who, DateTimeOffset now) =>
        new()
        {
            Plan = plan,
            Title = body.Title,
            State = body.WantsApproval ? RunState.Proposed : RunState.Running,
            StartedBy = who,
            StartedAt = now,
            Keep = body.Keep,
            HaltAfter = body.HaltAfter,
            Waves = string.Join('\n', body.Waves),
            MostMachines = body.AtOnce.Machines,
            MostPerRoom = body.AtOnce.PerRoom,
            MostPerVolume = body.AtOnce.PerVolume,
        };

    private static RelocationRow NewRow(PlannedRelocation planned, long run, DateTimeOffset now, Hazard? blocking) =>
        new()
        {
            Run = run,
            Machine = planned.Machine,
            Wave = planned.Wave,
            Sequence = planned.Sequence,
            Account = planned.Holding.Account,
            Holding = planned.Holding.Name,
            Planned = JsonSerializer.Serialize(planned, JsonSerializerOptions.Web),
            DataBytes = planned.DataBytes,
            Blocked = blocking is not null,
            State = blocking is null ? RelocationState.Planned : RelocationState.Refused,
            Live = Live.Source,
            AsOf = now,
            Failure = blocking is null
                ? null
                : Column.Write(
                    new Failure(
                        blocking.Code,
                        blocking.Text,
                        $"Nothing has changed; {planned.LivesInWords}.",
                        blocking.Remedy
                    ),
                    ModelJson.Default.Failure
                ),
        };

    private static async Task KeepReservesAsync(FurloughDb db, PlanBody body, CancellationToken stop)
    {
        foreach (var planned in body.Machines)
            if (await db.Machines.FindAsync([planned.Machine], stop) is { ReservesSaid: false } machine)
                machine.Reserves = Column.Write(
                    planned.Volumes.ToDictionary(v => v.Volume, v => v.ReserveBytes),
                    ModelJson.Default.IReadOnlyDictionaryStringInt64
                );
    }

    /// <summary>
    /// Consents are given, nothing in the plan is under way elsewhere, and reality is still what the plan was made
    /// from.
    /// </summary>
    private static async Task RequireStartableAsync(FurloughDb db, PlanRow plan, PlanBody body, CancellationToken stop)
    {
        if (body.Relocations.All(r => r.Blocked.Count > 0))
            throw RefusedException.Conflict(
                "nothing-to-do",
                $"Plan {plan.Number} has nothing that can be relocated.",
                "Look at its hazards.",
                [.. body.Hazards.Take(10).Select(h => h.Text)]
            );
        var wanted = await PlanState.ConsentsWantedAsync(db, plan, body, stop);
        if (wanted.Count > 0)
            throw RefusedException.Conflict(
                "consent-missing",
                $"Plan {plan.Number} has hazards that someone must accept first: {string.Join(", ", wanted)}.",
                $"`furlough plan consent {plan.Number} --hazard {wanted[0]} --reason TEXT`, or make another plan."
            );
        var busy = (
            await db
                .Relocations.Where(r => RunControl.NotAtRest.Contains(r.State))
                .Select(r => new
                {
                    r.Machine,
                    r.Account,
                    r.Holding,
                })
                .ToListAsync(stop)
        ).ToLookup(r => (r.Machine, r.Account), r => r.Holding);
        // A home excludes everything inside it.
        var taken = body
            .Relocations.Where(r =>
                busy[(r.Machine, r.Holding.Account)]
                    .Any(h => h == r.Holding.Name || h == HoldingName.WholeHome || r.Holding.Kind == HoldingKind.Home)
            )
            .Select(r => $"{r.Holding} on {r.MachineName}")
            .ToList();
        if (taken.Count > 0)
            throw RefusedException.Conflict(
                "already-under-way",
                $"{Words.Count(taken.Count, "holding")} of plan {plan.Number} {(taken.Count == 1 ? "is" : "are")} "
                    + $"under way in another run: {taken[0]}.",
                "Wait for that run to end, then make a new plan.",
                taken
            );
        await PlanState.RequireNotOvertakenAsync(db, plan.Number, body, stop);
    }
}
