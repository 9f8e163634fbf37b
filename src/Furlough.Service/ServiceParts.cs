using Furlough.Protocol;
using Furlough.Service.Access;
using Furlough.Service.Access.People;
using Furlough.Service.Agents;
using Furlough.Service.Audits;
using Furlough.Service.Backups;
using Furlough.Service.Errands;
using Furlough.Service.History;
using Furlough.Service.Kinds;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Metrics;
using Furlough.Service.Notifications;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Reports;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service;

/// <summary>Everything the service consists of but HTTP.</summary>
public static class ServiceParts
{
    /// <summary>Adds them.</summary>
    public static IServiceCollection AddServiceParts(this IServiceCollection services, ServiceOptions options)
    {
        services
            .AddDataProtection()
            .PersistKeysToFileSystem(PrivateFolder.Make(Path.Combine(options.Data, DataFolder.SessionKeys)))
            .SetApplicationName("furlough");
        return services
            .AddSingleton(options)
            .AddSingleton(options.Time)
            .AddSingleton(SigningKey.LoadOrMake(Path.Combine(options.Data, DataFolder.Key)))
            .AddDbContextFactory<FurloughDb>(db =>
                db.UseSqlite($"Data Source={Path.Combine(options.Data, DataFolder.Database)}")
            )
            .AddSingleton(new Instance())
            .AddSingleton<Store>()
            .AddSingleton<OutboxFollower>()
            .AddSingleton<Leases>()
            .AddSingleton<LiveHub>()
            .AddAccess()
            .AddAgents()
            .AddMachines()
            .AddRuns()
            .AddNotifications();
    }

    /// <summary>Brings storage to this version, and makes the first token where nobody has one.</summary>
    /// <exception cref="IOException">A later version wrote this storage.</exception>
    public static async Task PrepareStorageAsync(this IServiceProvider parts, CancellationToken stop)
    {
        await MigrateAsync(parts, stop);
        await parts.GetRequiredService<CallSecrets>().SealAllAsync(parts.GetRequiredService<Store>(), stop);
        await parts.GetRequiredService<StewardToken>().MakeFirstAsync(stop);
    }

    /// <summary>
    /// Begins as the only instance that works with this storage: whatever others held has ended with them, and what they
    /// remembered may be of a storage that was put back since.
    /// </summary>
    public static async Task BeginAloneAsync(this IServiceProvider parts, CancellationToken stop)
    {
        await parts.GetRequiredService<Leases>().EndAllAsync(stop);
        await parts.GetRequiredService<AgentSessions>().EndAllAsync(stop);
        await parts.GetRequiredService<OutboxFollower>().FollowAsync(stop);
    }

    internal static async Task MigrateAsync(this IServiceProvider parts, CancellationToken stop)
    {
        await using var db = await parts.GetRequiredService<IDbContextFactory<FurloughDb>>().CreateDbContextAsync(stop);
        await DataFolder.RequireKnownAsync(db, stop);
        await db.Database.MigrateAsync(stop);
        await db.Database.ExecuteSqlRawAsync("PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;", stop);
    }

    private static IServiceCollection AddAccess(this IServiceCollection services) =>
        services
            .AddSingleton<TlsKeys>()
            .AddSingleton<CertificateDesk>()
            .AddSingleton<CertificateWatch>()
            .AddSingleton<BackupWatch>()
            .AddMetrics()
            .AddSingleton<FleetMetrics>()
            .AddSingleton<ProviderCalls>()
            .AddSingleton<SignIns>()
            .AddSingleton<DeviceSignIn>()
            .AddSingleton<Tokens>()
            .AddSingleton<StewardToken>()
            .AddSingleton<HistoryList>();

    private static IServiceCollection AddAgents(this IServiceCollection services) =>
        services
            .AddSingleton<DocketSignals>()
            .AddSingleton<DocketDesk>()
            .AddSingleton<DocketOwners>()
            .AddSingleton<Generations>()
            .AddSingleton<AgentSessions>()
            .AddSingleton<AgentPolls>()
            .AddSingleton<WishDesk>()
            .AddSingleton<KindDesk>()
            .AddSingleton<KindCards>()
            .AddSingleton<BulletinDesk>()
            .AddSingleton<ReconcileDesk>();

    private static IServiceCollection AddMachines(this IServiceCollection services) =>
        services
            .AddSingleton<MachineBoard>()
            .AddSingleton<MachineDesk>()
            .AddSingleton<Invites>()
            .AddSingleton<Reserves>()
            .AddSingleton<SpaceShares>()
            .AddSingleton<SurveyDesk>()
            .AddSingleton<Freshness>()
            .AddSingleton<AuditDesk>();

    private static IServiceCollection AddRuns(this IServiceCollection services) =>
        services
            .AddSingleton<PlanDesk>()
            .AddSingleton<Suggesting>()
            .AddSingleton<RunDesk>()
            .AddSingleton<RunControl>()
            .AddSingleton<RunHours>()
            .AddSingleton<RunViews>()
            .AddSingleton<Steering>()
            .AddSingleton<RelocationList>()
            .AddSingleton<Acting>()
            .AddSingleton<OriginalList>()
            .AddSingleton<OriginalDesk>()
            .AddSingleton<ErrandList>()
            .AddSingleton<ErrandDesk>()
            .AddSingleton<ErrandActions>()
            .AddSingleton<DrillDesk>()
            .AddSingleton<ReportMaking>()
            .AddSingleton<RunWatch>();

    private static IServiceCollection AddNotifications(this IServiceCollection services) =>
        services
            .AddSingleton<CallSecrets>()
            .AddSingleton<Receivers>()
            .AddSingleton<NotificationSending>()
            .AddSingleton<NotificationDesk>()
            .AddSingleton<ServiceAddress>();
}
