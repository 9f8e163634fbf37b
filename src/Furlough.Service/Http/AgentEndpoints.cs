using Furlough.Model;
using Furlough.Protocol;
using Furlough.Service.Agents;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>What agents call.</summary>
internal static class AgentEndpoints
{
    private const int MostDocketsAtOnce = 50;

    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
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
        agent.MapPost(
            "/permits",
            (PermitRequest request, HttpContext context, AgentPolls polls, LiveHub live, CancellationToken stop) =>
                polls.PermitAsync(Machine(context, live), request, stop)
        );
        agent.MapPost("/known-dockets", TakeOverAsync);
        agent.MapPost("/bulletins", TakeAsync);
        agent.MapPost("/progress", KeepAsync);
        agent.MapPost("/surveys", SurveyAsync);
    }

    private static async Task<NoContent> TakeOverAsync(
        IReadOnlyList<string> signed,
        bool? all,
        HttpContext context,
        ReconcileDesk desk,
        LiveHub live,
        CancellationToken stop
    )
    {
        if (signed.Count > MostDocketsAtOnce)
            throw new RefusedException(
                RefusalKind.Malformed,
                "out-of-bounds",
                $"More than {MostDocketsAtOnce} dockets at once.",
                "Send fewer."
            );
        await desk.TakeOverAsync(Machine(context, live), signed, all == true, stop);
        return TypedResults.NoContent();
    }

    private static Task<BulletinReceipt> TakeAsync(
        IReadOnlyList<Bulletin> bulletins,
        bool? hasMore,
        HttpContext context,
        BulletinDesk desk,
        LiveHub live,
        CancellationToken stop
    )
    {
        Bounds.Require(bulletins, "bulletins");
        return desk.TakeAsync(Machine(context, live), bulletins, hasMore == true, stop);
    }

    private static async Task<ProgressReceipt> KeepAsync(
        Progress progress,
        HttpContext context,
        DocketOwners owners,
        LiveHub live,
        CancellationToken stop
    )
    {
        Bounds.Require(progress, "progress");
        await owners.RequireAsync(Machine(context, live), progress.Docket, progress.Relocation, stop);
        live.Keep(progress);
        return new ProgressReceipt(live.ProgressPause);
    }

    private static async Task<NoContent> SurveyAsync(
        Survey survey,
        HttpContext context,
        SurveyDesk desk,
        LiveHub live,
        CancellationToken stop
    )
    {
        Bounds.Require(survey, "survey");
        await desk.TakeAsync(Machine(context, live), survey, stop);
        return TypedResults.NoContent();
    }

    private static Task<DocketBatch> DocketsAsync(
        long after,
        string? wishes,
        string? kinds,
        int wait,
        string? trouble,
        HttpContext context,
        AgentPolls polls,
        LiveHub live,
        IHostApplicationLifetime lifetime,
        CancellationToken stop
    ) =>
        polls.DocketsAsync(
            Machine(context, live),
            after,
            wishes,
            kinds,
            wait,
            trouble,
            lifetime.ApplicationStopping,
            stop
        );

    private static Guid Machine(HttpContext context, LiveHub live)
    {
        var machine = AgentGate.MachineOf(context);
        live.Seen(machine);
        return machine;
    }
}
