using Furlough.Protocol.Api;
using Furlough.Service.Audits;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Audits: make, list, one.</summary>
internal static class AuditEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/audits", (AuditDesk audits, HttpContext context, CancellationToken stop) =>
                audits.MakeAsync(context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapGet("/audits", (string? before, string? limit, AuditDesk audits, CancellationToken stop) =>
                audits.ListAsync(Page.Read(before, limit, usual: 200), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/audits/{number:long}", (long number, AuditDesk audits, CancellationToken stop) =>
                audits.OneAsync(number, stop)
            )
            .For(AccessLevel.Reader);
    }
}
