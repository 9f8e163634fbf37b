using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Tls;

/// <summary>Reminds people of a certificate that ends: 30, 7 and 1 days before, once each.</summary>
public sealed class CertificateWatch(
    CertificateDesk desk,
    Store store,
    Leases leases,
    TimeProvider time,
    ILogger<CertificateWatch> log
) : LeasedWork("certificate", TimeSpan.FromHours(1), leases, time, log)
{
    private static readonly int[] DaysBefore = [30, 7, 1];
    private readonly TimeProvider _time = time;

    /// <inheritdoc/>
    protected override async Task<bool> WorkAsync(Lease lease, CancellationToken stop)
    {
        if (desk.Ending is not { } end)
            return false;
        var days = DaysBefore.Last(d => end - _time.GetUtcNow() <= TimeSpan.FromDays(d));
        var reminder = $"it ends on {end:yyyy-MM-dd HH:mm}Z, in at most {days} {(days == 1 ? "day" : "days")}";
        var made = await store.WriteAsync(
            lease,
            async db =>
            {
                var known = await db.History.AnyAsync(
                    h => h.Event == HistoryEvent.CertificateEnding && h.Detail == reminder,
                    stop
                );
                if (!known)
                    db.Record(
                        _time.GetUtcNow(),
                        "furlough",
                        HistoryEvent.CertificateEnding,
                        About.Certificate,
                        detail: reminder
                    );
                return !known;
            },
            stop
        );
        if (made)
            log.LogWarning("The certificate of the service: {Reminder}", reminder);
        return false;
    }
}
