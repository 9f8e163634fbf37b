using Furlough.Protocol.Api;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Relocations: list, one, and what can be asked of one.</summary>
internal static class RelocationEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapGet(
                "/relocations",
                (
                    string? run,
                    string? machine,
                    string? after,
                    string? limit,
                    RelocationList relocations,
                    CancellationToken stop
                ) => relocations.ListAsync(Run(run), machine, Page.Read(after, limit), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/relocations/{number:long}", (long number, RelocationList relocations, CancellationToken stop) =>
                relocations.OneAsync(number, stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/relocations/{number:long}/begin",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.BeginAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/retry",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.RetryAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/skip",
                (long number, SkipRequest request, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.SkipAsync(number, request.Reason, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/return",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.ReturnAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/gather",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.GatherAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/back-out",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.BackOutAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/fall-back",
                (long number, FallBackRequest request, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.FallBackAsync(number, request.MissingFrom, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    private static long? Run(string? run) =>
        string.IsNullOrEmpty(run) ? null
        : long.TryParse(run, out var number) ? number
        : throw new RefusedException(
            RefusalKind.Malformed,
            "run-malformed",
            $"`{run}` is not the number of a run.",
            "See `furlough run list`."
        );
}
