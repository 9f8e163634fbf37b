using Furlough.Protocol.Api;
using Furlough.Service.Notifications;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Who is notified of events: add, list, remove.</summary>
internal static class NotificationEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapPost(
                "/receivers",
                (ReceiverRequest request, Receivers receivers, HttpContext context, CancellationToken stop) =>
                    receivers.AddAsync(request, context.Who(), stop)
            )
            .For(AccessLevel.Steward);
        api.MapGet("/receivers", (Receivers receivers, CancellationToken stop) => receivers.ListAsync(stop))
            .For(AccessLevel.Technician);
        api.MapDelete(
                "/receivers/{**name}",
                async (string name, Receivers receivers, HttpContext context, CancellationToken stop) =>
                {
                    await receivers.RemoveAsync(Uri.UnescapeDataString(name), context.Who(), stop);
                    return TypedResults.NoContent();
                }
            )
            .For(AccessLevel.Steward);
    }
}
