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
        api.MapPost(
                "/runs/{number:long}/halt",
                (long number, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.HaltAsync(number, Seen(context), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/approve",
                (long number, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.ApproveAsync(number, Seen(context), context.Who(), stop)
            )
            .For(AccessLevel.Approver);
        api.MapPost(
                "/runs/{number:long}/retry",
                (
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
                    Steering steering,
                    Acting acting,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    steering.OfFailedAsync(
                        number,
                        Seen(context),
                        request.Cause,
                        r => acting.SkipAsync(r, request.Reason, context.Who(), stop),
                        stop
                    )
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/pause",
                (long number, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.PauseAsync(number, Seen(context), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/runs/{number:long}/resume",
                (long number, Steering steering, HttpContext context, CancellationToken stop) =>
                    steering.ResumeAsync(number, Seen(context), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    /// <summary>The run as the caller saw it before acting on it: the entity tag (RFC 9110) that came with it.</summary>
    private static SeenRun Seen(HttpContext context) =>
        new(context.Request.Headers.IfMatch.ToString() is { Length: > 0 } tags and not "*" ? tags : null);
}
