using Furlough.Planning.Briefs;
using Furlough.Protocol.Api;
using Furlough.Service.Plans;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Briefs: sample, schema, check, suggest. Plans: make, list, one, difference, consent.</summary>
internal static class PlanEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        MapBriefs(api);
        MapPlans(api);
    }

    private static void MapBriefs(RouteGroupBuilder api)
    {
        api.MapGet("/briefs/sample", () => new BriefText(BriefSample.Text)).For(AccessLevel.Reader);
        api.MapGet("/briefs/schema", () => TypedResults.Text(BriefSample.Schema, "application/schema+json"))
            .For(AccessLevel.Reader);
        api.MapPost("/briefs/check", (BriefText text, PlanDesk plans, CancellationToken stop) =>
                plans.CheckAsync(text, stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost("/briefs/suggest", (SuggestRequest request, Suggesting suggesting, CancellationToken stop) =>
                suggesting.SuggestAsync(request, stop)
            )
            .For(AccessLevel.Reader);
    }

    private static void MapPlans(RouteGroupBuilder api)
    {
        api.MapPost("/plans", (BriefText text, PlanDesk plans, HttpContext context, CancellationToken stop) =>
                plans.MakeAsync(text, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapGet("/plans", (string? before, string? limit, PlanDesk plans, CancellationToken stop) =>
                plans.ListAsync(Page.Read(before, limit, usual: 200), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/plans/{number:long}", (long number, PlanDesk plans, CancellationToken stop) =>
                plans.OneAsync(number, stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet(
                "/plans/{number:long}/difference/{other:long}",
                (long number, long other, PlanDesk plans, CancellationToken stop) =>
                    plans.DifferenceAsync(number, other, stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/plans/{number:long}/consents",
                (long number, ConsentRequest request, PlanDesk plans, HttpContext context, CancellationToken stop) =>
                    plans.ConsentAsync(number, request, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }
}
