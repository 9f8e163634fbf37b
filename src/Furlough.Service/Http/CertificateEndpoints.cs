using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Tls;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>The certificate, and the statement by which agents know its key.</summary>
internal static class CertificateEndpoints
{
    /// <summary>Maps the calls.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/certificate", (CertificateDesk desk) => desk.Show()).For(AccessLevel.Reader);
        api.MapPost("/certificate/renew", (CertificateDesk desk, HttpContext context, CancellationToken stop) =>
                desk.RenewAsync(context.Who(), stop)
            )
            .For(AccessLevel.Steward);
        api.MapPost(
                "/certificate",
                (CertificateRequest request, CertificateDesk desk, HttpContext context, CancellationToken stop) =>
                    desk.UseAsync(request, context.Who(), stop)
            )
            .For(AccessLevel.Steward);
    }

    /// <summary>Maps what agents read before they trust a connection.</summary>
    internal static void MapStatement(WebApplication app) =>
        app.MapGet("/" + TlsStatement.Path, (ServiceOptions options, HttpContext context) =>
                options.HasTls
                    ? context.RequestServices.GetRequiredService<TlsKeys>().Statement
                    : throw RefusedException.Missing("TLS statement", "The service listens without TLS.")
            )
            .AllowAnonymous()
            .ExcludeFromDescription();
}
