using Furlough.Protocol.Api;
using Furlough.Service.Machines;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Machines: list, one, survey, tag, hold, forget; their space; rooms; invites; reserves.</summary>
internal static class MachineEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        MapMachines(api);
        MapChanges(api);
        MapSpace(api);
        MapInvites(api);
    }

    private static void MapMachines(RouteGroupBuilder api)
    {
        api.MapGet("/machines", (string? room, string? standing, MachineDesk machines, CancellationToken stop) =>
                machines.ListAsync(room, standing, stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/machines/{name}", (string name, MachineDesk machines, CancellationToken stop) =>
                machines.OneAsync(name, stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/rooms/{room}/shelves", (string room, MachineBoard board, CancellationToken stop) =>
                board.ShelvesAsync(room, stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost("/machines/{name}/survey", (string name, MachineDesk machines, CancellationToken stop) =>
                machines.SurveyAsync(name, stop)
            )
            .For(AccessLevel.Technician);
    }

    private static void MapChanges(RouteGroupBuilder api)
    {
        api.MapPost(
                "/machines/tag",
                async (TagRequest request, MachineDesk machines, HttpContext context, CancellationToken stop) =>
                {
                    await machines.TagAsync(request, context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/machines/hold",
                async (HoldRequest request, MachineDesk machines, HttpContext context, CancellationToken stop) =>
                {
                    await machines.HoldAsync(request, context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/machines/forget",
                async (ForgetRequest request, MachineDesk machines, HttpContext context, CancellationToken stop) =>
                {
                    await machines.ForgetAsync(request, context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Steward);
    }

    private static void MapSpace(RouteGroupBuilder api)
    {
        api.MapGet("/space", (MachineBoard board, CancellationToken stop) => board.VolumesAsync(stop))
            .For(AccessLevel.Reader);
        api.MapGet("/machines/{name}/space", (string name, SpaceShares shares, CancellationToken stop) =>
                shares.OfAsync(name, stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/reserves", (Reserves reserves, CancellationToken stop) => reserves.ListAsync(stop))
            .For(AccessLevel.Reader);
        api.MapPost(
                "/reserves",
                async (ReserveRequest request, Reserves reserves, HttpContext context, CancellationToken stop) =>
                {
                    await reserves.SayAsync(request, context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Technician);
    }

    private static void MapInvites(RouteGroupBuilder api)
    {
        api.MapPost("/invites", (InviteRequest request, Invites invites, HttpContext context, CancellationToken stop) =>
                invites.MakeAsync(request, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapGet("/invites", (Invites invites, CancellationToken stop) => invites.ListAsync(stop))
            .For(AccessLevel.Technician);
        api.MapDelete(
                "/invites/{id}",
                async (string id, Invites invites, HttpContext context, CancellationToken stop) =>
                {
                    await invites.RevokeAsync(id, context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Technician);
    }
}
