using System.Security.Claims;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Backups;
using Furlough.Service.LiveEvents;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Http;

/// <summary>How the service itself is.</summary>
internal static class StatusEndpoints
{
    private const long LeastFree = 100 << 20;

    /// <summary>Maps what a supervisor of the process asks.</summary>
    internal static void MapHealth(WebApplication app)
    {
        app.MapGet("/health/live", () => "live").AllowAnonymous().ExcludeFromDescription();
        app.MapGet("/health/ready", async (Store store, ServiceOptions options, CancellationToken stop) =>
                await WhyNotReadyAsync(store, options, stop) is { } why
                    ? throw new RefusedException(
                        RefusalKind.NotReady,
                        "not-ready",
                        why,
                        "Look at the free space and the rights of its data folder."
                    )
                    : "ready"
            )
            .AllowAnonymous()
            .ExcludeFromDescription();
    }

    /// <summary>
    /// What keeps the service from working for long; null for nothing. Silent machines are a figure, and no reason.
    /// </summary>
    private static async Task<string?> WhyNotReadyAsync(Store store, ServiceOptions options, CancellationToken stop) =>
        !await CanWriteAsync(store, options, stop) ? "Nothing can be written to the service's storage."
        : DataFolder.FreeBytes(options.Data) < LeastFree
            ? $"Less than {LeastFree >> 20} MiB are free on the volume of {options.Data}."
        : null;

    /// <summary>Maps what people ask.</summary>
    internal static void Map(RouteGroupBuilder api)
    {
        var started = TimeProvider.System.GetUtcNow();
        api.MapGet(
                "/status",
                (
                    Store store,
                    LiveHub live,
                    CertificateDesk certificate,
                    Generations generations,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    store.ReadAsync(
                        async db =>
                        {
                            var machines = await db.Machines.Select(m => new { m.Id, m.LastSeen }).ToListAsync(stop);
                            var level = Words
                                .Find<AccessLevel>(
                                    context.User.FindFirst(System.Security.Claims.ClaimTypes.Role)!.Value
                                )!
                                .Value;
                            return new ServiceStatus(
                                typeof(ServiceHost).Assembly.GetName().Version!.ToString(3),
                                started,
                                machines.Count,
                                machines.Count(m => live.IsSilent(m.Id, m.LastSeen)),
                                await db.Runs.MaxAsync(r => (long?)r.Number, stop) ?? 0,
                                new Identity(context.Who(), level),
                                certificate.Ending,
                                await BackupAsync(db, stop),
                                generations.Replaced
                            );
                        },
                        stop
                    )
            )
            .For(AccessLevel.Reader);
    }

    private static async Task<BackupState?> BackupAsync(FurloughDb db, CancellationToken stop) =>
        await BackupWatch.LastAsync(db, stop) is { } last
            ? new BackupState(last.At, last.Event == HistoryEvent.BackupFailed ? last.Detail : null)
            : null;

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
}
