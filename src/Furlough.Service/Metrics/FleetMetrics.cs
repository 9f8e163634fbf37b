using System.Diagnostics.Metrics;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Backups;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Furlough.Service.Tls;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Metrics;

/// <summary>
/// Figures of the fleet and of the service itself, worked out from the storage when somebody asks for them, at most every
/// few seconds.
/// </summary>
public sealed class FleetMetrics : IDisposable
{
    private static readonly TimeSpan WorkedOutFor = TimeSpan.FromSeconds(10);
    private readonly Store _store;
    private readonly MachineBoard _board;
    private readonly ServiceOptions _options;
    private readonly TimeProvider _time;
    private readonly Meter _meter;
    private readonly SemaphoreSlim _working = new(1);
    private readonly List<Figure> _figures = [];
    private IReadOnlyList<MachineSummary> _machines = [];
    private DateTimeOffset _at = DateTimeOffset.MinValue;

    public FleetMetrics(
        Store store,
        MachineBoard board,
        ServiceOptions options,
        Generations generations,
        CertificateDesk certificate,
        IMeterFactory meters,
        TimeProvider time
    )
    {
        (_store, _board, _options, _time) = (store, board, options, time);
        _meter = meters.Create(Measures.Name);
        Add("machines", "{machine}", "Machines by standing", "standing", _ => MachinesNow());
        Add("relocations", "{relocation}", "Relocations by state", "state", (db, stop) =>
            CountsAsync(db.Relocations.Select(r => r.State), stop)
        );
        Add("runs", "{run}", "Runs by state", "state", (db, stop) => CountsAsync(db.Runs.Select(r => r.State), stop));
        Add("dockets.waiting", "{docket}", "Dockets that their machines have not fetched", null, WaitingAsync);
        Add("errands", "{errand}", "Errands that wait for a person", "due", ErrandsAsync);
        Add("originals", "{original}", "Originals that are kept", "due", OriginalsAsync);
        Add("findings", "{finding}", "Findings of the last audit", "severity", FindingsAsync);
        Add("audit.time", "s", "When the last audit was made, in seconds since 1970", null, AuditAsync);
        Add("notifications", "{notification}", "Notifications by state", "state", (db, stop) =>
            CountsAsync(db.Notifications.Select(n => n.State), stop)
        );
        Add("backup.time", "s", "When the last backup was made, in seconds since 1970", null, BackupAsync);
        Add("backup.failed", "{failure}", "1 where the last backup failed", null, BackupFailedAsync);
        Add("data.free", "By", "Free on the volume of the data folder", null, _ =>
            One(DataFolder.FreeBytes(options.Data))
        );
        Add("database.size", "By", "Size of the storage", null, _ => One(SizeOf(DataFolder.Database)));
        Add("certificate.end", "s", "When the certificate ends, in seconds since 1970", null, _ =>
            options.Listen is null ? [] : One(certificate.Show().NotAfter.ToUnixTimeSeconds())
        );
        Add("replaced", "{service}", "1 where machines follow a service restored from this one's backup", null, _ =>
            One(generations.Replaced is null ? 0 : 1)
        );
    }

    private delegate Task<IReadOnlyList<(string? Label, long Value)>> Reading(FurloughDb db, CancellationToken stop);

    /// <summary>One figure, with its values of the last time.</summary>
    private sealed class Figure(string? label, Reading read)
    {
        private volatile IReadOnlyList<Measurement<long>> _now = [];

        internal IReadOnlyList<Measurement<long>> Now => _now;

        internal async Task ReadAsync(FurloughDb db, CancellationToken stop) =>
            _now = [
                .. (await read(db, stop)).Select(v =>
                    label is null
                        ? new Measurement<long>(v.Value)
                        : new Measurement<long>(v.Value, new KeyValuePair<string, object?>(label, v.Label))
                ),
            ];
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _meter.Dispose();
        _working.Dispose();
    }

    /// <summary>Works all figures out again where they are seconds old.</summary>
    public async Task RefreshAsync(CancellationToken stop)
    {
        await _working.WaitAsync(stop);
        try
        {
            if (_time.GetUtcNow() - _at < WorkedOutFor)
                return;
            // Before the storage is read: the board reads it itself.
            _machines = await _board.MachinesAsync(stop);
            await _store.ReadAsync(
                async db =>
                {
                    foreach (var figure in _figures)
                        await figure.ReadAsync(db, stop);
                    return 0;
                },
                stop
            );
            _at = _time.GetUtcNow();
        }
        finally
        {
            _working.Release();
        }
    }

    private void Add(string name, string unit, string about, string? label, Reading read)
    {
        var figure = new Figure(label, read);
        _figures.Add(figure);
        _meter.CreateObservableGauge("furlough." + name, () => figure.Now, unit, about);
    }

    private void Add(string name, string unit, string about, string? label, Func<FurloughDb, (string?, long)[]> read) =>
        Add(name, unit, about, label, (db, _) => Task.FromResult<IReadOnlyList<(string?, long)>>(read(db)));

    private static (string?, long)[] One(long value) => [(null, value)];

    private static IReadOnlyList<(string?, long)> None => [];

    private (string?, long)[] MachinesNow() =>
        [.. All(_machines.GroupBy(m => m.Standing).Select(g => (g.Key, g.Count())))];

    private long SizeOf(string file) => new FileInfo(Path.Combine(_options.Data, file)).Length;

    /// <summary>Every word has a value, also of what there is none: a figure that is missing tells nothing.</summary>
    private static IReadOnlyList<(string?, long)> All<T>(IEnumerable<(T Key, int Count)> counts)
        where T : struct, Enum
    {
        var known = counts.ToDictionary(c => c.Key, c => c.Count);
        return [.. Enum.GetValues<T>().Select(v => ((string?)v.Word(), (long)known.GetValueOrDefault(v)))];
    }

    private static async Task<IReadOnlyList<(string?, long)>> WaitingAsync(FurloughDb db, CancellationToken stop) =>
        One(await db.Dockets.CountAsync(d => d.HandedAt == null && !d.Withdrawn, stop));

    private async Task<IReadOnlyList<(string?, long)>> ErrandsAsync(FurloughDb db, CancellationToken stop)
    {
        var now = _time.GetUtcNow();
        var waiting = db.Errands.Where(e => e.State == ErrandState.Open || e.State == ErrandState.Claimed);
        var late = await waiting.CountAsync(e => e.Due < now, stop);
        return [("later", await waiting.CountAsync(stop) - late), ("past", late)];
    }

    private async Task<IReadOnlyList<(string?, long)>> OriginalsAsync(FurloughDb db, CancellationToken stop)
    {
        var now = _time.GetUtcNow();
        var past = await db.Originals.CountAsync(o => o.KeptUntil < now, stop);
        return [("later", await db.Originals.CountAsync(stop) - past), ("past", past)];
    }

    private static Task<AuditRow?> LastAuditAsync(FurloughDb db, CancellationToken stop) =>
        db.Audits.OrderByDescending(a => a.Number).FirstOrDefaultAsync(stop);

    private static async Task<IReadOnlyList<(string?, long)>> FindingsAsync(FurloughDb db, CancellationToken stop) =>
        await LastAuditAsync(db, stop) is { } last
            ? [("blocking", last.BlockingCount), ("other", last.FindingCount - last.BlockingCount)]
            : None;

    private static async Task<IReadOnlyList<(string?, long)>> AuditAsync(FurloughDb db, CancellationToken stop) =>
        await LastAuditAsync(db, stop) is { } last ? One(last.MadeAt.ToUnixTimeSeconds()) : None;

    private static async Task<IReadOnlyList<(string?, long)>> CountsAsync<T>(
        IQueryable<T> states,
        CancellationToken stop
    )
        where T : struct, Enum =>
        All(
            (await states.GroupBy(s => s).Select(g => new { g.Key, Count = g.Count() }).ToListAsync(stop)).Select(g =>
                (g.Key, g.Count)
            )
        );

    private static async Task<IReadOnlyList<(string?, long)>> BackupAsync(FurloughDb db, CancellationToken stop) =>
        await db
            .History.Where(h => h.Event == HistoryEvent.BackupMade)
            .OrderByDescending(h => h.Number)
            .FirstOrDefaultAsync(stop)
            is { } made
            ? One(made.At.ToUnixTimeSeconds())
            : None;

    private static async Task<IReadOnlyList<(string?, long)>> BackupFailedAsync(
        FurloughDb db,
        CancellationToken stop
    ) => One((await BackupWatch.LastAsync(db, stop))?.Event == HistoryEvent.BackupFailed ? 1 : 0);
}
