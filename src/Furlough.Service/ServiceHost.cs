using System.Net;
using System.Reflection;
using System.Text.Json;
using System.Threading.RateLimiting;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Audits;
using Furlough.Service.Connections;
using Furlough.Service.Errands;
using Furlough.Service.Events;
using Furlough.Service.Kinds;
using Furlough.Service.Machines;
using Furlough.Service.Notifications;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Reports;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Hosting.Server;
using Microsoft.AspNetCore.Hosting.Server.Features;
using Microsoft.AspNetCore.Server.Kestrel.Transport.Sockets;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.FileProviders;
using Serilog;
using Serilog.Events;

namespace Furlough.Service;

/// <summary>The service, put together.</summary>
public sealed class ServiceHost : IAsyncDisposable
{
    /// <summary>File in the data folder with the first steward's token.</summary>
    public const string StewardTokenFile = "steward-token";

    /// <summary>Whose the first token is.</summary>
    private const string FirstSteward = "steward";

    private const long LargestRequestBytes = 32 << 20;
    private const int SignInsPerMinute = 30;

    private readonly WebApplication _app;
    private readonly DataFolder _folder;

    private ServiceHost(WebApplication app, DataFolder folder) => (_app, _folder) = (app, folder);

    /// <summary>Where it listens, once started.</summary>
    public Uri Address =>
        new(_app.Services.GetRequiredService<IServer>().Features.Get<IServerAddressesFeature>()!.Addresses.First());

    /// <summary>Builds and starts the service; makes storage and the first token when they are missing.</summary>
    public static async Task<ServiceHost> StartAsync(ServiceOptions options, CancellationToken stop)
    {
        var folder = DataFolder.Take(options.Data);
        try
        {
            return new ServiceHost(await StartedAsync(options, folder, stop), folder);
        }
        catch
        {
            folder.Dispose();
            throw;
        }
    }

    private static async Task<WebApplication> StartedAsync(
        ServiceOptions options,
        DataFolder folder,
        CancellationToken stop
    )
    {
        var app = Build(options);
        await MigrateAsync(app, stop);
        await app
            .Services.GetRequiredService<CallSecrets>()
            .SealAllAsync(app.Services.GetRequiredService<Store>(), stop);
        await FirstTokenAsync(
            app.Services.GetRequiredService<Store>(),
            options.Data,
            app.Services.GetRequiredService<TimeProvider>(),
            stop
        );
        folder.IsWhole();
        await app.StartAsync(stop);
        // A large fleet takes seconds: begun before the first person looks at it.
        _ = app.Services.GetRequiredService<MachineBoard>().MachinesAsync(CancellationToken.None);
        return app;
    }

    private static async Task MigrateAsync(WebApplication app, CancellationToken stop)
    {
        await using var db = await app
            .Services.GetRequiredService<IDbContextFactory<FurloughDb>>()
            .CreateDbContextAsync(stop);
        await DataFolder.RequireKnownAsync(db, stop);
        await db.Database.MigrateAsync(stop);
        await db.Database.ExecuteSqlRawAsync("PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;", stop);
    }

    /// <summary>
    /// Makes the steward's token again while no service works with the data folder, for the day on which nobody has one
    /// any more; returns the file that holds it.
    /// </summary>
    /// <exception cref="IOException">A service works with the folder, or there is none in it.</exception>
    public static async Task<string> ReplaceStewardTokenAsync(string data, CancellationToken stop)
    {
        if (!File.Exists(Path.Combine(data, "furlough.db")))
            throw new IOException($"there is no service's data in {data}.");
        using var folder = DataFolder.Take(data);
        await using var app = Build(new ServiceOptions(data, 0));
        await MigrateAsync(app, stop);
        var (file, secret) = (Path.Combine(data, StewardTokenFile), Secrets.Make("flt-"));
        PrivateFile.Write(file, secret + "\n");
        var time = app.Services.GetRequiredService<TimeProvider>();
        return await app
            .Services.GetRequiredService<Store>()
            .WriteAsync(
                async db =>
                {
                    db.Tokens.RemoveRange(await db.Tokens.Where(t => t.Name == FirstSteward).ToListAsync(stop));
                    db.Tokens.Add(
                        new TokenRow
                        {
                            Id = Guid.CreateVersion7(),
                            Name = FirstSteward,
                            Level = AccessLevel.Steward,
                            Hash = Secrets.Hash(secret),
                            MadeAt = time.GetUtcNow(),
                            MadeBy = "furlough",
                        }
                    );
                    db.Record(time.GetUtcNow(), "furlough", "token replaced", FirstSteward, null, "at the server");
                    return file;
                },
                stop
            );
    }

    /// <summary>Waits until the service is asked to stop.</summary>
    public Task WaitAsync(CancellationToken stop) => _app.WaitForShutdownAsync(stop);

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        await _app.StopAsync();
        await _app.DisposeAsync();
        // Nothing keeps the database open: it may be put back from a backup now.
        SqliteConnection.ClearAllPools();
        _folder.Dispose();
    }

    /// <summary>Builds the service without starting it.</summary>
    public static WebApplication Build(ServiceOptions options)
    {
        PrivateFolder.Make(options.Data);
        var console = options.Console ?? FindConsole();
        var builder = WebApplication.CreateSlimBuilder(
            new WebApplicationOptions
            {
                ContentRootPath = options.Data,
                ApplicationName = typeof(ServiceHost).Assembly.GetName().Name,
            }
        );
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.Listen(IPAddress.Loopback, options.Port);
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = LargestRequestBytes;
        });
        if (OpenFiles.ForConnections() is { } most)
        {
            builder
                .Services.AddSingleton<SocketTransportFactory>()
                .AddSingleton<IConnectionListenerFactory>(services => new LimitedConnections(
                    services.GetRequiredService<SocketTransportFactory>(),
                    most
                ));
        }
        builder.Services.AddSerilog(log =>
            log.MinimumLevel.Information()
                .MinimumLevel.Override("Microsoft", LogEventLevel.Warning)
                .WriteTo.File(
                    Path.Combine(PrivateFolder.Make(Path.Combine(options.Data, "log")).FullName, "service-.log"),
                    rollingInterval: RollingInterval.Day,
                    formatProvider: System.Globalization.CultureInfo.InvariantCulture
                )
        );
        builder.Services.Configure<HostOptions>(host => host.ShutdownTimeout = TimeSpan.FromSeconds(5));
        AddStorage(builder.Services, options.Data);
        AddAccess(builder.Services, options.Data);
        builder
            .Services.AddSingleton(TimeProvider.System)
            .AddSingleton<LiveHub>()
            .AddSingleton<DocketSignals>()
            .AddSingleton<DocketDesk>()
            .AddSingleton<AgentSessions>()
            .AddSingleton<RunControl>()
            .AddSingleton<ErrandDesk>()
            .AddSingleton<DrillDesk>()
            .AddSingleton<ErrandActions>()
            .AddSingleton<RunHours>()
            .AddSingleton<RunViews>()
            .AddSingleton<WishDesk>()
            .AddSingleton<KindDesk>()
            .AddSingleton<AgentPosts>()
            .AddSingleton<BulletinDesk>()
            .AddSingleton<ReconcileDesk>()
            .AddSingleton<DocketOwners>()
            .AddSingleton<MachineBoard>()
            .AddSingleton<SurveyDesk>()
            .AddSingleton<Freshness>()
            .AddSingleton<Acting>()
            .AddSingleton<OriginalDesk>()
            .AddSingleton<Steering>()
            .AddSingleton<ReportMaking>()
            .AddSingleton<CallSecrets>()
            .AddSingleton<NotificationSending>()
            .AddSingleton(options)
            .AddHostedService<NotificationDesk>()
            .AddHostedService<RunWatch>();
        builder.Services.AddSingleton(SigningKey.LoadOrMake(Path.Combine(options.Data, "service-key")));
        builder
            .Services.AddExceptionHandler<ProblemWriter>()
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
        builder.Services.Configure<RouteHandlerOptions>(handlers => handlers.ThrowOnBadRequest = true);
        builder.Services.ConfigureHttpJsonOptions(json =>
        {
            json.SerializerOptions.RespectNullableAnnotations = true;
            json.SerializerOptions.RespectRequiredConstructorParameters = true;
            json.SerializerOptions.MaxDepth = 32;
            json.SerializerOptions.NumberHandling = System.Text.Json.Serialization.JsonNumberHandling.Strict;
        });

        var app = builder.Build();
        app.Use(SecurityHeaders);
        app.UseExceptionHandler();
        app.UseStatusCodePages(page => ProblemWriter.WriteBareAsync(page.HttpContext));
        app.Use(RequireOwnHost);
        app.Use(AgentGate.PassAsync);
        app.UseRateLimiter();
        app.UseAuthentication();
        app.UseAuthorization();
        app.Use((context, next) => AccessEndpoints.RequireConsoleHeader(context, () => next(context)));
        Map(app);
        if (console is not null)
            ServeConsole(app, console);
        return app;
    }

    private static void Map(WebApplication app)
    {
        var started = TimeProvider.System.GetUtcNow();
        app.MapOpenApi().AllowAnonymous();
        app.MapGet("/health/live", () => "live").AllowAnonymous().ExcludeFromDescription();
        app.MapGet("/health/ready", async (Store store, ServiceOptions options, CancellationToken stop) =>
                await CanWriteAsync(store, options, stop)
                    ? "ready"
                    : throw new ProblemException(
                        503,
                        "not-ready",
                        "Nothing can be written to the service's storage.",
                        "Look at the free space and the rights of its data folder."
                    )
            )
            .AllowAnonymous()
            .ExcludeFromDescription();
        var api = app.MapGroup("/api/v1");
        api.MapGet("/status", (Store store, LiveHub live, HttpContext context, CancellationToken stop) =>
                store.ReadAsync(
                    async db =>
                    {
                        var machines = await db.Machines.Select(m => new { m.Id, m.LastSeen }).ToListAsync(stop);
                        var level = Words
                            .Find<AccessLevel>(context.User.FindFirst(System.Security.Claims.ClaimTypes.Role)!.Value)!
                            .Value;
                        return new ServiceStatus(
                            typeof(ServiceHost).Assembly.GetName().Version!.ToString(3),
                            started,
                            machines.Count,
                            machines.Count(m => live.IsSilent(m.Id, m.LastSeen)),
                            await db.Runs.MaxAsync(r => (long?)r.Number, stop) ?? 0,
                            new Identity(context.Who(), level)
                        );
                    },
                    stop
                )
            )
            .For(AccessLevel.Reader);
        AccessEndpoints.Map(api);
        MachineEndpoints.Map(api);
        ReserveEndpoints.Map(api);
        DrillEndpoints.Map(api);
        SpaceEndpoints.Map(api);
        KindEndpoints.Map(api);
        PlanEndpoints.Map(api);
        SuggestEndpoint.Map(api);
        RunEndpoints.Map(api);
        ReportEndpoints.Map(api);
        NotificationEndpoints.Map(api);
        RelocationEndpoints.Map(api);
        OriginalEndpoints.Map(api);
        ErrandEndpoints.Map(api);
        AuditEndpoints.Map(api);
        AgentEndpoints.Map(api);
        EventEndpoint.Map(api);
        app.MapGroup("/api")
            .MapFallback(() =>
            {
                throw ProblemException.Missing("such call", "See the description of the API at /openapi/v1.json.");
            })
            .AllowAnonymous();
    }

    /// <summary>
    /// Whether what is stored would be kept: storage answers a write, and a file of the data folder can be made
    /// durable.
    /// </summary>
    private static async Task<bool> CanWriteAsync(Store store, ServiceOptions options, CancellationToken stop)
    {
        var file = Path.Combine(options.Data, "ready-check");
        try
        {
            PrivateFile.Write(file, "ready\n");
            File.Delete(file);
            return await store.WriteAsync(
                async db => await db.Machines.Select(m => m.Id).Take(1).CountAsync(stop) >= 0,
                stop
            );
        }
        catch (Exception full)
            when (full
                    is IOException
                        or UnauthorizedAccessException
                        or Microsoft.Data.Sqlite.SqliteException
                        or DbUpdateException
            )
        {
            return false;
        }
    }

    private static void AddStorage(IServiceCollection services, string data)
    {
        services.AddDbContextFactory<FurloughDb>(db =>
            db.UseSqlite($"Data Source={Path.Combine(data, "furlough.db")}")
        );
        services.AddSingleton<Store>();
    }

    private static void AddAccess(IServiceCollection services, string data)
    {
        services
            .AddDataProtection()
            .PersistKeysToFileSystem(PrivateFolder.Make(Path.Combine(data, "session-keys")))
            .SetApplicationName("furlough");
        services
            .AddAuthentication(o => o.DefaultScheme = "either")
            .AddPolicyScheme("either", null, o =>
                o.ForwardDefaultSelector = c =>
                    c.Request.Headers.Authorization.Count > 0 || !c.Request.Cookies.ContainsKey("furlough-session")
                        ? TokenAuthentication.Scheme1
                        : TokenAuthentication.Session
            )
            .AddScheme<AuthenticationSchemeOptions, TokenAuthentication>(TokenAuthentication.Scheme1, null)
            .AddCookie(TokenAuthentication.Session, o =>
            {
                o.Cookie.Name = "furlough-session";
                o.Cookie.HttpOnly = true;
                o.Cookie.SameSite = SameSiteMode.Strict;
                o.ExpireTimeSpan = TimeSpan.FromHours(12);
                o.Events.OnValidatePrincipal = TokenAuthentication.ValidateSessionAsync;
                o.Events.OnRedirectToLogin = c =>
                    ProblemWriter.WriteAsync(
                        c.HttpContext,
                        new Problem(
                            "not signed in",
                            "The session has ended.",
                            401,
                            "not-signed-in",
                            "Sign in again.",
                            null,
                            null
                        ),
                        c.HttpContext.RequestAborted
                    );
                o.Events.OnRedirectToAccessDenied = c =>
                    ProblemWriter.WriteAsync(
                        c.HttpContext,
                        new Problem(
                            "access level too low",
                            "Your access level is too low for this.",
                            403,
                            "level-missing",
                            "Ask a steward.",
                            null,
                            null
                        ),
                        c.HttpContext.RequestAborted
                    );
            });
        services.AddAuthorization();
        services.AddRateLimiter(limits =>
        {
            limits.AddPolicy(AccessEndpoints.SignInLimit, context =>
                RateLimitPartition.GetFixedWindowLimiter(
                    context.Connection.RemoteIpAddress,
                    _ => new FixedWindowRateLimiterOptions
                    {
                        PermitLimit = SignInsPerMinute,
                        Window = TimeSpan.FromMinutes(1),
                    }
                )
            );
            limits.OnRejected = async (rejected, stop) =>
            {
                rejected.HttpContext.Response.Headers.RetryAfter = "60";
                await ProblemWriter.WriteAsync(
                    rejected.HttpContext,
                    new Problem(
                        "too many attempts",
                        $"There were more than {SignInsPerMinute} attempts to sign in within a minute.",
                        429,
                        "too-many-attempts",
                        "Wait a minute, then try again.",
                        null,
                        null
                    ),
                    stop
                );
            };
        });
    }

    private static async Task FirstTokenAsync(Store store, string data, TimeProvider time, CancellationToken stop)
    {
        var file = Path.Combine(data, StewardTokenFile);
        if (await store.ReadAsync(db => db.Tokens.AnyAsync(stop), stop))
            return;
        var secret = Secrets.Make("flt-");
        PrivateFile.Write(file, secret + "\n");
        await store.WriteAsync(
            db =>
            {
                db.Tokens.Add(
                    new TokenRow
                    {
                        Id = Guid.CreateVersion7(),
                        Name = FirstSteward,
                        Level = AccessLevel.Steward,
                        Hash = Secrets.Hash(secret),
                    }
                );
                db.Record(time.GetUtcNow(), "furlough", "first token made", FirstSteward);
                return Task.FromResult(0);
            },
            stop
        );
    }

    private static Task SecurityHeaders(HttpContext context, RequestDelegate next)
    {
        // When the answer begins: an error's answer starts with no headers.
        context.Response.OnStarting(() =>
        {
            Secure(context);
            return Task.CompletedTask;
        });
        return next(context);
    }

    private static void Secure(HttpContext context)
    {
        var headers = context.Response.Headers;
        headers.XContentTypeOptions = "nosniff";
        headers.XFrameOptions = "DENY";
        headers["Referrer-Policy"] = "no-referrer";
        if (context.Request.Path.StartsWithSegments("/api"))
            headers.CacheControl = "no-store";
        headers.ContentSecurityPolicy =
            "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";
    }

    /// <summary>
    /// Under another name than its own a page of someone else's could talk to the service (DNS rebinding).
    /// </summary>
    private static Task RequireOwnHost(HttpContext context, RequestDelegate next) =>
        context.Request.Host.Host is "127.0.0.1" or "localhost" or "::1" or "[::1]"
            ? next(context)
            : throw new ProblemException(
                421,
                "host-unknown",
                $"This service is not called `{context.Request.Host.Host}`.",
                "Call it by http://127.0.0.1 and its port."
            );

    private static void ServeConsole(WebApplication app, string folder)
    {
        var files = new PhysicalFileProvider(folder);
        app.UseStaticFiles(new StaticFileOptions { FileProvider = files });
        app.MapFallback(async context =>
            {
                context.Response.ContentType = "text/html; charset=utf-8";
                await context.Response.SendFileAsync(files.GetFileInfo("index.html"));
            })
            .AllowAnonymous()
            .ExcludeFromDescription();
    }

    /// <summary>The built console: beside the program, or in the working copy that it was built from.</summary>
    private static string? FindConsole()
    {
        for (var at = new DirectoryInfo(AppContext.BaseDirectory); at is not null; at = at.Parent)
            foreach (var place in (string[])["console", "src/console/dist"])
                if (File.Exists(Path.Combine(at.FullName, place, "index.html")))
                    return Path.Combine(at.FullName, place);
        return null;
    }
}
