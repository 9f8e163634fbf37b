using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Drills of machines are begun here; the view of a machine has them.</summary>
internal static class DrillEndpoints
{
    /// <summary>Maps the call.</summary>
    internal static void Map(RouteGroupBuilder api) =>
        api.MapPost(
                "/machines/{name}/drills",
                (string name, DrillRequest request, DrillDesk drills, HttpContext context, CancellationToken stop) =>
                    drills.BeginAsync(
                        Uri.UnescapeDataString(name),
                        request.Volume,
                        request.Account,
                        context.Who(),
                        stop
                    )
            )
            .For(AccessLevel.Technician);
}
