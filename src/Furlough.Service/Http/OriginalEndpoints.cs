using Furlough.Protocol.Api;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Originals: list, discard.</summary>
internal static class OriginalEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/originals", (string? after, string? limit, OriginalList originals, CancellationToken stop) =>
                originals.ReadAsync(Page.Read(after, limit), stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/originals/{id}/discard",
                (
                    string id,
                    DiscardRequest request,
                    OriginalDesk originals,
                    HttpContext context,
                    CancellationToken stop
                ) => originals.DiscardAsync(id, request, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }
}
