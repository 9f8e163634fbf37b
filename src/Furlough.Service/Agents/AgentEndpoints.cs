using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Events;
using Furlough.Service.Kinds;
using Furlough.Service.Machines;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>What waits for agents besides dockets.</summary>
public sealed record AgentPosts(WishDesk Wishes, KindDesk Kinds, DocketDesk Dockets);

/// <summary>What agents call.</summary>
public static class AgentEndpoints
{
    private const int LongestWaitSeconds = 30,
        MostDocketsAtOnce = 50;

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        var agent = api.MapGroup("/agent").AllowAnonymous().ExcludeFromDescription();
        agent.MapPost("/enrol", (EnrolRequest request, AgentSessions sessions, CancellationToken stop) =>
            sessions.EnrolAsync(request, stop)
        );
        agent.MapPost("/challenge", (AgentSessions sessions) => sessions.Challenge());
        agent.MapPost("/session", (SessionRequest request, AgentSessions sessions, CancellationToken stop) =>
            sessions.OpenAsync(request, stop)
        );
        agent.MapGet("/dockets", DocketsAsync);
        agent.MapPost("/permits", PermitAsync);
        agent.MapPost(
            "/known-dockets",
            async (
                IReadOnlyList<string> signed,
                HttpContext context,
                AgentSessions sessions,
                ReconcileDesk desk,
                LiveHub live,
                CancellationToken stop
            ) =>
            {
                if (signed.Count > MostDocketsAtOnce)
                    throw new ProblemException(
                        400,
                        "out-of-bounds",
                        $"More than {MostDocketsAtOnce} dockets at once.",
                        "Send fewer."
                    );
                await desk.TakeOverAsync(Machine(context, sessions, live), signed, stop);
                return TypedResults.NoContent();
            }
        );
        agent.MapPost(
            "/bulletins",
            async (
                IReadOnlyList<Bulletin> bulletins,
                bool? hasMore,
                HttpContext context,
                AgentSessions sessions,
                BulletinDesk desk,
                LiveHub live,
                CancellationToken stop
            ) =>
            {
                Bounds.Require(bulletins, "bulletins");
                return await desk.TakeAsync(Machine(context, sessions, live), bulletins, hasMore == true, stop);
            }
        );
        agent.MapPost(
            "/progress",
            async (
                Progress progress,
                HttpContext context,
                AgentSessions sessions,
                DocketOwners owners,
                LiveHub live,
                CancellationToken stop
            ) =>
            {
                Bounds.Require(progress, "progress");
                await owners.RequireAsync(Machine(context, sessions, live), progress.Docket, progress.Relocation, stop);
                live.Keep(progress);
                return new ProgressReceipt(live.ProgressPause);
            }
        );
        agent.MapPost(
            "/surveys",
            async (
                Survey survey,
                HttpContext context,
                AgentSessions sessions,
                SurveyDesk desk,
                LiveHub live,
                CancellationToken stop
            ) =>
            {
                Bounds.Require(survey, "survey");
                await desk.TakeAsync(Machine(context, sessions, live), survey, stop);
                return TypedResults.NoContent();
            }
        );
    }

    private static async Task<DocketBatch> DocketsAsync(
        long after,
        string? wishes,
        string? kinds,
        int wait,
        string? trouble,
        HttpContext context,
        AgentSessions sessions,
        DocketSignals signals,
        AgentPosts posts,
        Store store,
        LiveHub live,
        IHostApplicationLifetime lifetime,
        CancellationToken stop
    )
    {
        var machine = Machine(context, sessions, live);
        live.Told(machine, trouble is null ? null : Words.Find<AgentTrouble>(trouble));
        var signal = signals.Next(machine);
        var batch = await LookAsync(store, posts, machine, after, kinds, stop);
        if (
            batch.Dockets.Count > 0
            || batch.SurveyRequest is not null
            || batch.Kinds is not null
            || (wishes is not null && wishes != batch.Wishes.Tag())
            || wait <= 0
        )
            return batch;
        using var ending = CancellationTokenSource.CreateLinkedTokenSource(stop, lifetime.ApplicationStopping);
        await Task.WhenAny(signal, Task.Delay(TimeSpan.FromSeconds(Math.Min(wait, LongestWaitSeconds)), ending.Token));
        stop.ThrowIfCancellationRequested();
        live.Seen(machine);
        return await LookAsync(store, posts, machine, after, kinds, stop);
    }

    private static async Task<DocketBatch> LookAsync(
        Store store,
        AgentPosts posts,
        Guid machine,
        long after,
        string? kinds,
        CancellationToken stop
    )
    {
        var batch = await FindAsync(store, posts, machine, after, kinds, stop);
        if (batch.Dockets.Count == 0)
            return batch;
        // Written down before they leave: what was never handed out can be called back for certain. What is called back
        // at this moment is not handed out.
        var kept = await posts.Dockets.HandAsync(store, machine, [.. batch.Dockets.Select(d => d.Number)], stop);
        return batch with { Dockets = [.. batch.Dockets.Where(d => kept.Contains(d.Number))] };
    }

    private static Task<DocketBatch> FindAsync(
        Store store,
        AgentPosts posts,
        Guid machine,
        long after,
        string? kinds,
        CancellationToken stop
    ) =>
        store.ReadAsync(
            async db =>
            {
                var row = await db
                    .Machines.Where(m => m.Id == machine)
                    .Select(m => new
                    {
                        m.Name,
                        m.Suspect,
                        m.SurveyWanted,
                        m.SurveyRequest,
                    })
                    .FirstAsync(stop);
                var dockets = row.Suspect
                    ? []
                    : await db
                        .Dockets.Where(d => d.Machine == machine && d.Number > after && !d.Withdrawn)
                        .OrderBy(d => d.Number)
                        .Take(50)
                        .Select(d => new DocketEnvelope(d.Number, d.Signed))
                        .ToListAsync(stop);
                var signed = await posts.Kinds.SignedAsync(db, row.Name, stop);
                return new DocketBatch(
                    dockets,
                    row.SurveyWanted ? row.SurveyRequest : null,
                    await posts.Wishes.OfAsync(db, machine, stop),
                    signed.Tag == (kinds ?? "") ? null : signed
                );
            },
            stop
        );

    private static Task<PermitResponse> PermitAsync(
        PermitRequest request,
        HttpContext context,
        AgentSessions sessions,
        DocketDesk desk,
        WishDesk wishes,
        Store store,
        LiveHub live,
        CancellationToken stop
    )
    {
        var machine = Machine(context, sessions, live);
        return store.ReadAsync(
            async db =>
            {
                var docket = await db.Dockets.FirstOrDefaultAsync(
                    d => d.Id == request.Docket && d.Machine == machine,
                    stop
                ) ?? throw ProblemException.Missing("such docket", "Survey the machine.");
                var relocation = await db.Relocations.FirstAsync(r => r.Number == docket.Relocation, stop);
                var run = await db.Runs.FirstAsync(r => r.Number == relocation.Run, stop);
                if (docket.Withdrawn)
                    throw ProblemException.Conflict(
                        "permit-refused",
                        $"The docket of relocation {relocation.Number} was called back.",
                        "Nothing further is begun."
                    );
                if (relocation.Docket != docket.Id || (!docket.ByItself && run.State == RunState.Halted))
                    throw ProblemException.Conflict(
                        "permit-refused",
                        $"Run {run.Number} is halted.",
                        "Nothing further is begun."
                    );
                var held = await db.Machines.AnyAsync(m => m.Id == machine && m.HeldBy != null, stop);
                // Anyone who is locked out already is not locked out longer by a wish to rest.
                if (
                    !request.KeptOut && (await wishes.OfAsync(db, relocation, docket.ByItself, held, run, stop)).Rests()
                )
                    throw ProblemException.Conflict(
                        "permit-not-now",
                        $"Relocation {relocation.Number} is to rest for the moment.",
                        "The machine continues automatically."
                    );
                return new PermitResponse(desk.Permit(docket.Id, machine));
            },
            stop
        );
    }

    private static Guid Machine(HttpContext context, AgentSessions sessions, LiveHub live)
    {
        var machine = sessions.MachineOf(context) ?? throw AgentGate.SessionUnknown();
        live.Seen(machine);
        return machine;
    }
}
