using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>The history: list.</summary>
internal static class HistoryEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api) =>
        api.MapGet(
                "/history",
                (string? before, string? limit, string? about, HistoryList history, CancellationToken stop) =>
                    history.ReadAsync(Page.Read(before, limit, usual: 500), about, stop)
            )
            .For(AccessLevel.Reader);
}
