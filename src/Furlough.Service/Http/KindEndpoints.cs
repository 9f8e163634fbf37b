using Furlough.Protocol.Api;
using Furlough.Service.Kinds;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Kind cards: check, try, add, list, one, remove.</summary>
internal static class KindEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/kinds/check", (KindText text) => KindCards.Read(text.Card)).For(AccessLevel.Reader);
        api.MapPost(
                "/kinds/try",
                (KindTrialRequest request, KindCards kinds, HttpContext context, CancellationToken stop) =>
                    kinds.TryAsync(request, context.Who(), stop)
            )
            .For(AccessLevel.Steward);
        api.MapPost("/kinds", (KindText text, KindCards kinds, HttpContext context, CancellationToken stop) =>
                kinds.AddAsync(text, context.Who(), stop)
            )
            .For(AccessLevel.Steward);
        api.MapGet("/kinds", (KindCards kinds, CancellationToken stop) => kinds.ListAsync(stop))
            .For(AccessLevel.Reader);
        api.MapGet("/kinds/{name}", (string name, KindCards kinds, CancellationToken stop) =>
                kinds.OneAsync(name, stop)
            )
            .For(AccessLevel.Reader);
        api.MapDelete(
                "/kinds/{name}",
                async (string name, KindCards kinds, HttpContext context, CancellationToken stop) =>
                {
                    await kinds.RemoveAsync(name, context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Steward);
    }
}
