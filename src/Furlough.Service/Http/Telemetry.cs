using Furlough.Service.Metrics;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using OpenTelemetry.Exporter;
using OpenTelemetry.Metrics;
using OpenTelemetry.Resources;
using OpenTelemetry.Trace;

namespace Furlough.Service.Http;

/// <summary>Gives figures to whoever collects them, and traces to a collector where one is named.</summary>
internal static class Telemetry
{
    /// <summary>Where figures are read.</summary>
    internal const string Path = "/metrics";

    /// <summary>Figures of the runtime and of the web server beside the service's own.</summary>
    private static readonly string[] Meters =
    [
        Measures.Name,
        "System.Runtime",
        "Microsoft.AspNetCore.Hosting",
        "Microsoft.AspNetCore.Server.Kestrel",
    ];

    /// <summary>Adds what collects.</summary>
    internal static void Add(IServiceCollection services, ServiceOptions options)
    {
        var telemetry = services
            .AddOpenTelemetry()
            .ConfigureResource(r =>
                r.AddService("furlough", serviceVersion: typeof(Telemetry).Assembly.GetName().Version!.ToString(3))
            )
            .WithMetrics(m =>
            {
                m.AddMeter(Meters).AddPrometheusExporter();
                if (options.Collector is { } collector)
                    m.AddOtlpExporter((o, _) => SetUp(o, collector, "v1/metrics"));
            });
        if (options.Collector is { } address)
            telemetry.WithTracing(t =>
                // Commands send an id without asking for a trace.
                t.AddSource("Microsoft.AspNetCore")
                    .SetSampler(new AlwaysOnSampler())
                    .AddOtlpExporter(o => SetUp(o, address, "v1/traces"))
            );
    }

    private static void SetUp(OtlpExporterOptions o, Uri collector, string signal) =>
        (o.Endpoint, o.Protocol) = (new Uri(collector, signal), OtlpExportProtocol.HttpProtobuf);

    /// <summary>The port for figures, where one is set, answers with figures and health alone.</summary>
    internal static void KeepPortApart(WebApplication app, ServiceOptions options) =>
        app.Use(
            (context, next) =>
                options.MetricsPort is { } port
                && context.Connection.LocalPort == port
                && context.Request.Path != Path
                && !context.Request.Path.StartsWithSegments("/health")
                    ? throw RefusedException.Missing("such page", $"This port answers {Path} and /health alone.")
                    : next(context)
        );

    /// <summary>Gives figures: at their own port to anyone on this machine, elsewhere to whoever has a token.</summary>
    internal static void Serve(WebApplication app, ServiceOptions options) =>
        app.UseWhen(
            context => context.Request.Path == Path,
            figures =>
            {
                figures.Use(
                    async (context, next) =>
                    {
                        if (
                            options.MetricsPort != context.Connection.LocalPort
                            && context.User.Identity?.IsAuthenticated != true
                        )
                            throw new RefusedException(
                                RefusalKind.NotSignedIn,
                                "not-signed-in",
                                "Figures need a token, and none that is valid was given.",
                                "Give a reader's token (Authorization: Bearer), or read them on the server at the port that "
                                    + "`metrics-port` sets."
                            );
                        await context
                            .RequestServices.GetRequiredService<FleetMetrics>()
                            .RefreshAsync(context.RequestAborted);
                        await next(context);
                    }
                );
                figures.UseOpenTelemetryPrometheusScrapingEndpoint(Path);
            }
        );
}
