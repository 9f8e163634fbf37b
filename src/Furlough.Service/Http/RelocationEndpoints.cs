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
        Act(api, "begin", (acting, number, who, stop) => acting.BeginAsync(number, who, stop));
        Act(api, "retry", (acting, number, who, stop) => acting.RetryAsync(number, who, stop));
        Act(api, "return", (acting, number, who, stop) => acting.ReturnAsync(number, who, stop));
        Act(api, "gather", (acting, number, who, stop) => acting.GatherAsync(number, who, stop));
        Act(api, "back-out", (acting, number, who, stop) => acting.BackOutAsync(number, who, stop));
        api.MapPost(
                "/relocations/{number:long}/skip",
                (long number, SkipRequest request, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.SkipAsync(number, request.Reason, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/fall-back",
                (long number, FallBackRequest request, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.FallBackAsync(number, request.MissingFrom, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    /// <summary>What can be asked of a relocation without saying more.</summary>
    private static void Act(
        RouteGroupBuilder api,
        string verb,
        Func<Acting, long, string, CancellationToken, Task<RelocationView>> act
    ) =>
        api.MapPost(
                $"/relocations/{{number:long}}/{verb}",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    act(acting, number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);

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
