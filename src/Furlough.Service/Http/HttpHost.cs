using System.Globalization;
using System.Net;
using System.Text.Json.Serialization;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Backups;
using Furlough.Service.Http.Connections;
using Furlough.Service.Metrics;
using Furlough.Service.Notifications;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.HttpOverrides;
using Microsoft.AspNetCore.Routing;
using Microsoft.AspNetCore.Server.Kestrel.Https;
using Microsoft.AspNetCore.Server.Kestrel.Transport.Sockets;
using Serilog;
using Serilog.Events;
using Serilog.Formatting.Compact;
using Serilog.Formatting.Display;

namespace Furlough.Service.Http;

/// <summary>The service's parts behind HTTP.</summary>
internal static class HttpHost
{
    private const long LargestRequestBytes = 32 << 20;

    /// <summary>Builds it without starting it.</summary>
    internal static WebApplication Build(ServiceOptions options)
    {
        PrivateFolder.Make(options.Data);
        var builder = WebApplication.CreateSlimBuilder(
            new WebApplicationOptions
            {
                ContentRootPath = options.Data,
                ApplicationName = typeof(HttpHost).Assembly.GetName().Name,
            }
        );
        Listen(builder, options);
        Log(builder.Services, options);
        builder.Services.Configure<HostOptions>(host => host.ShutdownTimeout = TimeSpan.FromSeconds(5));
        builder
            .Services.AddServiceParts(options)
            .AddHostedService(parts => parts.GetRequiredService<OutboxFollower>())
            .AddHostedService(parts => parts.GetRequiredService<NotificationDesk>())
            .AddHostedService(parts => parts.GetRequiredService<RunWatch>())
            .AddHostedService(parts => parts.GetRequiredService<CertificateWatch>())
            .AddHostedService(parts => parts.GetRequiredService<BackupWatch>());
        Telemetry.Add(builder.Services, options);
        SignInRules.Add(builder.Services, options.Provider);
        Answer(builder.Services);

        var app = builder.Build();
        if (options.Proxy is { } proxy)
            app.UseForwardedHeaders(Believing(proxy));
        app.Use(Guards.SecurityHeaders);
        app.UseExceptionHandler();
        app.UseStatusCodePages(page => ProblemWriter.WriteBareAsync(page.HttpContext));
        app.Use(Guards.RequireOwnHost);
        Telemetry.KeepPortApart(app, options);
        app.Use(AgentGate.PassAsync);
        app.UseRateLimiter();
        app.UseAuthentication();
        app.UseAuthorization();
        Telemetry.Serve(app, options);
        app.Use(Guards.RequireFollowed);
        app.Use((context, next) => AccessEndpoints.RequireConsoleHeader(context, () => next(context)));
        Routes.Map(app);
        if ((options.Console ?? ConsoleFiles.Find()) is { } console)
            ConsoleFiles.Serve(app, console);
        return app;
    }

    private static void Listen(WebApplicationBuilder builder, ServiceOptions options)
    {
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            if (options.Listen is { } address)
                kestrel.Listen(IPAddress.Parse(address.DnsSafeHost), address.Port, listen =>
                    listen.UseHttps(
                        new TlsHandshakeCallbackOptions
                        {
                            OnConnection = _ => new(kestrel.ApplicationServices.GetRequiredService<TlsKeys>().Server),
                        }
                    )
                );
            else
                kestrel.Listen(IPAddress.Loopback, options.Port);
            if (options.MetricsPort is { } metrics)
                kestrel.Listen(IPAddress.Loopback, metrics);
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = LargestRequestBytes;
        });
        if (OpenFiles.ForConnections() is { } most)
            builder
                .Services.AddSingleton<SocketTransportFactory>()
                .AddSingleton<IConnectionListenerFactory>(services => new LimitedConnections(
                    services.GetRequiredService<SocketTransportFactory>(),
                    most
                ));
    }

    /// <summary>Calls that come from the proxy are those of whom it names last; what others name counts for nothing.</summary>
    private static ForwardedHeadersOptions Believing(Proxy proxy)
    {
        var headers = new ForwardedHeadersOptions
        {
            ForwardedHeaders = ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto,
            ForwardLimit = 1,
        };
        headers.KnownIPNetworks.Clear();
        headers.KnownProxies.Clear();
        headers.KnownProxies.Add(proxy.Address);
        return headers;
    }

    private static void Log(IServiceCollection services, ServiceOptions options) =>
        services.AddSerilog(log =>
            log.MinimumLevel.Information()
                .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
                .WriteTo.File(
                    options.JsonLog
                        ? new RenderedCompactJsonFormatter()
                        : new MessageTemplateTextFormatter(LogLine, CultureInfo.InvariantCulture),
                    Path.Combine(PrivateFolder.Make(Path.Combine(options.Data, "log")).FullName, "service-.log"),
                    rollingInterval: RollingInterval.Day
                )
        );

    private const string LogLine =
        "{Timestamp:yyyy-MM-dd HH:mm:ss.fff zzz} [{Level:u3}] {Message:lj}{NewLine}{Exception}";

    private static void Answer(IServiceCollection services)
    {
        services
            .AddExceptionHandler<ProblemWriter>()
            .AddProblemDetails()
            .AddOpenApi(o =>
                o.AddDocumentTransformer(
                    (document, _, _) =>
                    {
                        document.Info.Title = "Furlough";
                        document.Info.Version = "v1";
                        document.Servers?.Clear();
                        return Task.CompletedTask;
                    }
                )
            );
        services.Configure<RouteHandlerOptions>(handlers => handlers.ThrowOnBadRequest = true);
        services.ConfigureHttpJsonOptions(json =>
        {
            json.SerializerOptions.RespectNullableAnnotations = true;
            json.SerializerOptions.RespectRequiredConstructorParameters = true;
            json.SerializerOptions.MaxDepth = 32;
            json.SerializerOptions.NumberHandling = JsonNumberHandling.Strict;
            var known = json.SerializerOptions.TypeInfoResolverChain;
            known.Insert(0, ApiJson.Default);
            known.Insert(1, ProtocolJson.Default);
            known.Insert(2, ModelJson.Default);
        });
    }
}
