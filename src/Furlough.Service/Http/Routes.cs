using Furlough.Service.Access;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Every call of the service.</summary>
internal static class Routes
{
    /// <summary>Maps them.</summary>
    internal static void Map(WebApplication app)
    {
        app.MapOpenApi().AllowAnonymous();
        StatusEndpoints.MapHealth(app);
        var api = app.MapGroup("/api/v1");
        StatusEndpoints.Map(api);
        AccessEndpoints.Map(api);
        MachineEndpoints.Map(api);
        DrillEndpoints.Map(api);
        KindEndpoints.Map(api);
        PlanEndpoints.Map(api);
        RunEndpoints.Map(api);
        ReportEndpoints.Map(api);
        NotificationEndpoints.Map(api);
        RelocationEndpoints.Map(api);
        OriginalEndpoints.Map(api);
        ErrandEndpoints.Map(api);
        AuditEndpoints.Map(api);
        HistoryEndpoints.Map(api);
        AgentEndpoints.Map(api);
        EventEndpoint.Map(api);
        app.MapGroup("/api")
            .MapFallback(() =>
            {
                throw RefusedException.Missing("such call", "See the description of the API at /openapi/v1.json.");
            })
            .AllowAnonymous();
    }
}
