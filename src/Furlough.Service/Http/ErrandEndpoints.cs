using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Errands: list, one, claim, finish, decline.</summary>
internal static class ErrandEndpoints
{
    private const int MostCharacters = 1_000;

    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/errands", (bool? all, string? after, string? limit, ErrandList errands, CancellationToken stop) =>
                errands.ReadAsync(all == true, Page.Read(after, limit), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/errands/{number:long}", (long number, ErrandList errands, CancellationToken stop) =>
                errands.OneAsync(number, stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/errands/{number:long}/claim",
                (
                    long number,
                    ClaimRequest request,
                    ErrandActions actions,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    actions.ClaimAsync(number, Plain(request.As, "who claims it") ?? context.Who(), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/errands/{number:long}/finish",
                (
                    long number,
                    ErrandRemark request,
                    ErrandActions actions,
                    HttpContext context,
                    CancellationToken stop
                ) => actions.FinishAsync(number, Plain(request.Text, "the remark"), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/errands/{number:long}/decline",
                (
                    long number,
                    ErrandRemark request,
                    ErrandActions actions,
                    HttpContext context,
                    CancellationToken stop
                ) => actions.DeclineAsync(number, Reason(number, request.Text), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    private static string Reason(long number, string? text) =>
        Plain(text, "the reason")
        ?? throw new RefusedException(
            RefusalKind.Malformed,
            "reason-missing",
            "An errand is declined with a reason.",
            $"`furlough errand decline {number} --reason \"...\"`."
        );

    private static string? Plain(string? text, string what) =>
        string.IsNullOrWhiteSpace(text) ? null
        : text.Length > MostCharacters || text.Any(c => char.IsControl(c) && c != '\n')
            ? throw new RefusedException(
                RefusalKind.Malformed,
                "text-refused",
                $"For {what} at most {MostCharacters} printable characters are kept.",
                "Shorten it."
            )
        : text.Trim();
}
