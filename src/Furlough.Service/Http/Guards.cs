using Furlough.Service.Agents;
using Furlough.Service.Tls;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>What every answer carries, and which calls are turned away before anybody looks at them.</summary>
internal static class Guards
{
    /// <summary>Headers that keep pages of others out.</summary>
    internal static Task SecurityHeaders(HttpContext context, RequestDelegate next)
    {
        // When the answer begins: an error's answer starts with no headers.
        context.Response.OnStarting(() =>
        {
            Secure(context);
            return Task.CompletedTask;
        });
        return next(context);
    }

    /// <summary>
    /// Under another name than its own a page of someone else's could talk to the service (DNS rebinding).
    /// </summary>
    internal static Task RequireOwnHost(HttpContext context, RequestDelegate next) =>
        IsOwn(context.Request.Host.Host, context)
            ? next(context)
            : throw new RefusedException(
                RefusalKind.WrongHost,
                "host-unknown",
                $"This service is not called `{context.Request.Host.Host}`.",
                "Call it by a name that its certificate is for, or by its public address; without TLS by http://127.0.0.1 and its "
                    + "port. A proxy before it has to be named with --behind-proxy and to send X-Forwarded-Proto."
            );

    /// <summary>What a service that was replaced still takes: that people look at it, and that machines prove what they
    /// follow and report what happened.</summary>
    private static readonly HashSet<string> StillTaken = new(StringComparer.Ordinal)
    {
        "/session",
        "/agent/challenge",
        "/agent/session",
        "/agent/bulletins",
        "/agent/progress",
    };

    /// <summary>Nothing is ordered by a service that another one has taken the place of.</summary>
    internal static Task RequireFollowed(HttpContext context, RequestDelegate next)
    {
        if (
            context.Request.Path.StartsWithSegments("/api/v1", StringComparison.Ordinal, out var call)
            && !StillTaken.Contains(call.Value ?? "")
            && (!HttpMethods.IsGet(context.Request.Method) || call == "/agent/dockets")
        )
            context.RequestServices.GetRequiredService<Generations>().RequireFollowed();
        return next(context);
    }

    private static bool IsOwn(string host, HttpContext context) =>
        host is "127.0.0.1" or "localhost" or "::1" or "[::1]"
        || context.Request.IsHttps
            && (
                host.Equals(Options(context).PublicAddress?.DnsSafeHost, StringComparison.OrdinalIgnoreCase)
                || Options(context).Listen is not null
                    && context.RequestServices.GetRequiredService<TlsKeys>().IsFor(host)
            );

    private static ServiceOptions Options(HttpContext context) =>
        context.RequestServices.GetRequiredService<ServiceOptions>();

    private static void Secure(HttpContext context)
    {
        var headers = context.Response.Headers;
        headers.XContentTypeOptions = "nosniff";
        headers.XFrameOptions = "DENY";
        headers["Referrer-Policy"] = "no-referrer";
        if (context.Request.IsHttps && Options(context).Hsts)
            headers.StrictTransportSecurity = "max-age=31536000";
        if (context.Request.Path.StartsWithSegments("/api"))
            headers.CacheControl = "no-store";
        headers.ContentSecurityPolicy =
            "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
            + "frame-ancestors 'none'; base-uri 'none'; form-action 'self'";
    }
}
