using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
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
        api.MapGet("/history", (string? before, string? about, HistoryList history, CancellationToken stop) =>
                history.ReadAsync(Number(before), about, stop)
            )
            .For(AccessLevel.Reader);

    private static long? Number(string? before) =>
        string.IsNullOrEmpty(before) ? null
        : long.TryParse(before, out var number) ? number
        : throw new RefusedException(
            RefusalKind.Malformed,
            "number-malformed",
            $"`{before}` is not the number of an entry.",
            "Leave it out for the latest."
        );
}
