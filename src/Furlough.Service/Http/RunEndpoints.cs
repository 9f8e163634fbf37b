using Furlough.Protocol.Api;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Runs: start, list, one, and what can be done to one.</summary>
internal static class RunEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/runs", (RunRequest request, RunDesk runs, HttpContext context, CancellationToken stop) =>
                runs.StartAsync(request.Plan, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapGet("/runs", (string? before, string? limit, RunDesk runs, CancellationToken stop) =>
                runs.ListAsync(Page.Read(before, limit, usual: 200), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet(
                "/runs/{number:long}",
                async (long number, RunDesk runs, HttpContext context, CancellationToken stop) =>
                {
                    var (view, tag) = await runs.OneAsync(number, stop);
                    context.Response.Headers.ETag = tag;
                    return view;
                }
            )
            .For(AccessLevel.Reader);
        Steer(api, "halt", AccessLevel.Technician, (s, run, seen, who, stop) => s.HaltAsync(run, seen, who, stop));
        Steer(api, "approve", AccessLevel.Approver, (s, run, seen, who, stop) => s.ApproveAsync(run, seen, who, stop));
        Steer(api, "pause", AccessLevel.Technician, (s, run, seen, who, stop) => s.PauseAsync(run, seen, who, stop));
        Steer(api, "resume", AccessLevel.Technician, (s, run, seen, who, stop) => s.ResumeAsync(run, seen, who, stop));
        api.MapPost("/runs/{number:long}/retry", RetryAsync).For(AccessLevel.Technician);
        api.MapPost("/runs/{number:long}/skip", SkipAsync).For(AccessLevel.Technician);
    }

    private static void Steer(
        RouteGroupBuilder api,
        string verb,
        AccessLevel level,
        Func<Steering, long, SeenRun, string, CancellationToken, Task<RunView>> steer
    ) =>
        api.MapPost(
                $"/runs/{{number:long}}/{verb}",
                (long number, Steering steering, HttpContext context, CancellationToken stop) =>
                    steer(steering, number, Seen(context), context.Who(), stop)
            )
            .For(level);

    private static Task<ManyDone> RetryAsync(
        long number,
        RetryRequest request,
        Steering steering,
        Acting acting,
        HttpContext context,
        CancellationToken stop
    ) =>
        steering.OfFailedAsync(
            number,
            Seen(context),
            request.Cause,
            relocation => acting.RetryAsync(relocation, context.Who(), stop),
            stop
        );

    private static Task<ManyDone> SkipAsync(
        long number,
        SkipRequest request,
        Steering steering,
        Acting acting,
        HttpContext context,
        CancellationToken stop
    ) =>
        steering.OfFailedAsync(
            number,
            Seen(context),
            request.Cause,
            relocation => acting.SkipAsync(relocation, request.Reason, context.Who(), stop),
            stop
        );

    /// <summary>The run as the caller saw it before acting on it: the entity tag (RFC 9110) that came with it.</summary>
    private static SeenRun Seen(HttpContext context) =>
        new(context.Request.Headers.IfMatch.ToString() is { Length: > 0 } tags and not "*" ? tags : null);
}
