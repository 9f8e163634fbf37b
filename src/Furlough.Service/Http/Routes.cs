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
        CertificateEndpoints.MapStatement(app);
        var api = app.MapGroup("/api/v1");
        StatusEndpoints.Map(api.MapGroup("").WithTags("status"));
        AccessEndpoints.Map(api.MapGroup("").WithTags("access"));
        ProviderSignIn.Map(app, api.MapGroup("").WithTags("access"));
        CertificateEndpoints.Map(api.MapGroup("").WithTags("certificate"));
        MachineEndpoints.Map(api.MapGroup("").WithTags("machines"));
        DrillEndpoints.Map(api.MapGroup("").WithTags("machines"));
        KindEndpoints.Map(api.MapGroup("").WithTags("kinds"));
        PlanEndpoints.Map(api.MapGroup("").WithTags("plans"));
        RunEndpoints.Map(api.MapGroup("").WithTags("runs"));
        ReportEndpoints.Map(api.MapGroup("").WithTags("reports"));
        NotificationEndpoints.Map(api.MapGroup("").WithTags("notifications"));
        RelocationEndpoints.Map(api.MapGroup("").WithTags("relocations"));
        OriginalEndpoints.Map(api.MapGroup("").WithTags("originals"));
        ErrandEndpoints.Map(api.MapGroup("").WithTags("errands"));
        AuditEndpoints.Map(api.MapGroup("").WithTags("audits"));
        HistoryEndpoints.Map(api.MapGroup("").WithTags("history"));
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
