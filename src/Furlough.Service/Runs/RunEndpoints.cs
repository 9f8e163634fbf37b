using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Events;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>Starting, looking at and halting runs.</summary>
public static class RunEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/runs", StartAsync).For(AccessLevel.Technician);
        api.MapGet("/runs", (Store store, RunViews views, CancellationToken stop) => store.ReadAsync(
                    async db =>
                    {
                        var runs = await db.Runs.OrderByDescending(r => r.Number).Take(200).ToListAsync(stop);
                        List<RunView> found = [];
                        foreach (var run in runs)
                            found.Add(await views.OfAsync(db, run, stop));
                        return found;
                    },
                    stop
                ))
            .For(AccessLevel.Reader);
        api.MapGet(
                "/runs/{number:long}",
                (long number, Store store, RunViews views, HttpContext context, CancellationToken stop) =>
                    store.ReadAsync(
                        async db =>
                        {
                            var view = await views.OfAsync(db, await FindAsync(db, number, stop), stop);
                            await SeenRun.TellAsync(context, db, number, stop);
                            return view;
                        },
                        stop
                    )
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/runs/{number:long}/halt",
                (long number, SeenRun seen, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.HaltAsync(number, seen, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/approve",
                (long number, SeenRun seen, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.ApproveAsync(number, seen, context.Who(), stop)
            )
            .For(AccessLevel.Approver);
        api.MapPost(
                "/runs/{number:long}/retry",
                (
                    long number,
                    RetryRequest request,
                    SeenRun seen,
                    Steering steering,
                    Acting acting,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    steering.OfFailedAsync(
                        number,
                        seen,
                        request.Cause,
                        r => acting.RetryAsync(r, context.Who(), stop),
                        stop
                    )
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/skip",
                (
                    long number,
                    SkipRequest request,
                    SeenRun seen,
                    Steering steering,
                    Acting acting,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    steering.OfFailedAsync(
                        number,
                        seen,
                        request.Cause,
                        r => acting.SkipAsync(r, request.Reason, context.Who(), stop),
                        stop
                    )
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/pause",
                (long number, SeenRun seen, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.PauseAsync(number, seen, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/resume",
                (long number, SeenRun seen, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.ResumeAsync(number, seen, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    private static async Task<RunView> StartAsync(
        RunRequest request,
        Store store,
        RunControl control,
        RunViews views,
        DocketSignals signals,
        LiveHub live,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        IReadOnlyCollection<Guid> wake = [];
        var view = await store.WriteAsync(
            async db =>
            {
                var plan = await PlanEndpoints.FindAsync(db, request.Plan, stop);
                var body = Column.Read(plan.Body, ModelJson.Default.PlanBody);
                await RequireStartableAsync(db, plan, body, stop);
                var now = time.GetUtcNow();
                var run = new RunRow
                {
                    Plan = plan.Number,
                    Title = body.Title,
                    State = body.WantsApproval ? RunState.Proposed : RunState.Running,
                    StartedBy = context.Who(),
                    StartedAt = now,
                    Keep = body.Keep,
                    HaltAfter = body.HaltAfter,
                    Waves = string.Join('\n', body.Waves),
                    MostMachines = body.AtOnce.Machines,
                    MostPerRoom = body.AtOnce.PerRoom,
                    MostPerVolume = body.AtOnce.PerVolume,
                };
                db.Runs.Add(run);
                await db.SaveChangesAsync(stop);
                var hazards = body
                    .Hazards.Where(h => h.Severity == Severity.Blocking)
                    .ToLookup(h => (h.Machine, h.Account, h.Holding));
                foreach (var planned in body.Relocations)
                    db.Relocations.Add(
                        NewRow(
                            planned,
                            run.Number,
                            now,
                            hazards[(planned.MachineName, planned.Holding.Account, planned.Holding.Name)]
                                .FirstOrDefault()
                        )
                    );
                await KeepReservesAsync(db, body, stop);
                db.Record(
                    now,
                    context.Who(),
                    body.WantsApproval ? "run proposed" : "run started",
                    $"run {run.Number}",
                    null,
                    $"plan {plan.Number}"
                );
                await db.SaveChangesAsync(stop);
                wake = await control.AdvanceAsync(db, run.Number, stop);
                await db.SaveChangesAsync(stop);
                return await views.OfAsync(db, run, stop);
            },
            stop
        );
        signals.Raise(wake);
        live.Say("run", view.Number);
        return view;
    }

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
            throw ProblemException.Conflict(
                "nothing-to-do",
                $"Plan {plan.Number} has nothing that can be relocated.",
                "Look at its hazards.",
                [.. body.Hazards.Take(10).Select(h => h.Text)]
            );
        var wanted = await PlanEndpoints.ConsentsWantedAsync(db, plan, body, stop);
        if (wanted.Count > 0)
            throw ProblemException.Conflict(
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
            throw ProblemException.Conflict(
                "already-under-way",
                $"{Words.Count(taken.Count, "holding")} of plan {plan.Number} {(taken.Count == 1 ? "is" : "are")} under way in another run: {taken[0]}.",
                "Wait for that run to end, then make a new plan.",
                taken
            );
        await RequireNotOvertakenAsync(db, plan.Number, body, stop);
    }

    /// <summary>The machines are still as the plan knows them.</summary>
    internal static async Task RequireNotOvertakenAsync(FurloughDb db, long plan, PlanBody body, CancellationToken stop)
    {
        var changes = await PlanEndpoints.OvertakenAsync(db, body, stop);
        if (changes.Count > 0)
            throw ProblemException.Conflict(
                "plan-overtaken",
                $"Plan {plan} is out of date: {changes[0]}",
                "Make a new plan from the same brief.",
                changes
            );
    }

    internal static async Task<RunRow> FindAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Runs.FirstOrDefaultAsync(r => r.Number == number, stop)
        ?? throw ProblemException.Missing($"run {number}", "See `furlough run list`.");
}
