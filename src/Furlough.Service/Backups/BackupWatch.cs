using System.Globalization;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Backups;

/// <summary>Where and how often the service backs itself up.</summary>
/// <param name="Every">From one to the next.</param>
/// <param name="Keep">How many are kept; older ones are removed after a new one was made.</param>
public sealed record BackupPlan(string Folder, TimeSpan Every, int Keep);

/// <summary>Backs the service up by its plan, and tells when that fails.</summary>
public sealed class BackupWatch(
    ServiceOptions options,
    Store store,
    Leases leases,
    TimeProvider time,
    ILogger<BackupWatch> log
) : LeasedWork("backup", TimeSpan.FromMinutes(1), leases, time, log)
{
    private const string Prefix = "furlough-",
        Suffix = ".backup",
        Moment = "yyyyMMdd'T'HHmmss'Z'";
    private static readonly TimeSpan TriedAgainAfter = TimeSpan.FromMinutes(15);
    private readonly TimeProvider _time = time;
    private DateTimeOffset _failedAt = DateTimeOffset.MinValue;

    /// <inheritdoc/>
    protected override async Task<bool> WorkAsync(Lease lease, CancellationToken stop)
    {
        if (options.Backups is not { } plan)
            return false;
        var now = _time.GetUtcNow();
        if (now - _failedAt < TriedAgainAfter || (All(plan).FirstOrDefault() is { } last && now - last.At < plan.Every))
            return false;
        var file = Path.Combine(plan.Folder, Prefix + now.ToString(Moment, CultureInfo.InvariantCulture) + Suffix);
        try
        {
            if (!Directory.Exists(plan.Folder))
                PrivateFolder.Make(plan.Folder);
            await Task.Run(() => Backup.Make(options.Data, file, options.BackupPassphrase, now), stop);
            foreach (var old in All(plan).Skip(plan.Keep))
                File.Delete(old.File);
            await RecordAsync(HistoryEvent.BackupMade, file, stop);
        }
        catch (Exception failed)
            when (failed is IOException or UnauthorizedAccessException or Microsoft.Data.Sqlite.SqliteException)
        {
            _failedAt = now;
            log.LogError(failed, "A backup to {Folder} failed", plan.Folder);
            await RecordAsync(HistoryEvent.BackupFailed, $"{plan.Folder}: {failed.Message}", stop);
        }
        return false;
    }

    /// <summary>Those of the folder that are ours, the newest first.</summary>
    private static List<(string File, DateTimeOffset At)> All(BackupPlan plan) =>
        Directory.Exists(plan.Folder)
            ?
            [
                .. Directory
                    .EnumerateFiles(plan.Folder, $"{Prefix}*{Suffix}")
                    .Select(f => (File: f, At: MomentOf(f)))
                    .Where(f => f.At is not null)
                    .Select(f => (f.File, f.At!.Value))
                    .OrderByDescending(f => f.Value),
            ]
            : [];

    private static DateTimeOffset? MomentOf(string file) =>
        DateTimeOffset.TryParseExact(
            Path.GetFileName(file)[Prefix.Length..^Suffix.Length],
            Moment,
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal,
            out var at
        )
            ? at
            : null;

    /// <summary>
    /// A failure is recorded once, until a backup has been made again. A long backup outlasts the lease with which it was
    /// begun, and is recorded all the same.
    /// </summary>
    private Task<int> RecordAsync(HistoryEvent what, string detail, CancellationToken stop) =>
        store.WriteAsync(
            async db =>
            {
                if (what == HistoryEvent.BackupMade || (await LastAsync(db, stop))?.Event != what)
                    db.Record(_time.GetUtcNow(), "furlough", what, About.Service, detail: detail);
                db.Effects.Say("service", 0);
                return 0;
            },
            stop
        );

    /// <summary>What became of the last one; null where there was none.</summary>
    internal static Task<HistoryRow?> LastAsync(FurloughDb db, CancellationToken stop) =>
        db
            .History.Where(h => h.Event == HistoryEvent.BackupMade || h.Event == HistoryEvent.BackupFailed)
            .OrderByDescending(h => h.Number)
            .FirstOrDefaultAsync(stop);
}
