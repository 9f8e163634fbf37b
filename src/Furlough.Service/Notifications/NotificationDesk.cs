using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Notifications;

/// <summary>
/// Makes notifications of what the history says and sends them. A notification is stored with the place up to which the
/// history was looked at, and marked before it is sent: so each is made once, and one that was being sent when its
/// sender ended is reported as uncertain rather than sent again.
/// </summary>
public sealed class NotificationDesk(
    Store store,
    NotificationSending sending,
    ServiceAddress address,
    Leases leases,
    TimeProvider time,
    ILogger<NotificationDesk> log
) : LeasedWork("notifications", TimeSpan.FromSeconds(1), leases, time, log)
{
    private const int EntriesAtATime = 200,
        NotificationsAtATime = 20;

    /// <summary>How long is waited after each attempt that failed; then it is given up.</summary>
    private static readonly TimeSpan[] Waits =
    [
        TimeSpan.FromSeconds(5),
        TimeSpan.FromSeconds(30),
        TimeSpan.FromMinutes(5),
        TimeSpan.FromMinutes(30),
        TimeSpan.FromHours(2),
        TimeSpan.FromHours(8),
        TimeSpan.FromHours(24),
    ];

    private readonly TimeProvider _time = time;

    /// <inheritdoc/>
    protected override Task TakeOverAsync(Lease lease, CancellationToken stop) =>
        store.WriteAsync(
            lease,
            db =>
                db.Notifications.Where(n => n.State == NotificationState.Sending)
                    .ExecuteUpdateAsync(
                        set =>
                            set.SetProperty(n => n.State, NotificationState.Uncertain)
                                .SetProperty(n => n.Why, "the service ended while it was being sent"),
                        stop
                    ),
            stop
        );

    /// <inheritdoc/>
    protected override async Task<bool> WorkAsync(Lease lease, CancellationToken stop) =>
        await MakeAsync(lease, await address.Known.WaitAsync(stop), stop) | await SendAsync(lease, stop);

    /// <summary>Looks at further entries of the history; true when there were some.</summary>
    private async Task<bool> MakeAsync(Lease lease, Uri console, CancellationToken stop)
    {
        var last = await store.ReadAsync(db => db.History.MaxAsync(h => (long?)h.Number, stop), stop) ?? 0;
        if (!await store.ReadAsync(db => db.Receivers.AnyAsync(r => r.Seen < last, stop), stop))
            return false;
        return await store.WriteAsync(
            lease,
            async db =>
            {
                foreach (var receiver in await db.Receivers.Where(r => r.Seen < last).ToListAsync(stop))
                {
                    var entries = await db
                        .History.Where(h => h.Number > receiver.Seen)
                        .OrderBy(h => h.Number)
                        .Take(EntriesAtATime)
                        .ToListAsync(stop);
                    foreach (var entry in entries)
                        if (
                            NotificationText.EventOf(entry) is { } what
                            && (receiver.On.Length == 0 || receiver.On.Split('\n').Contains(what.Word()))
                            && await NotificationText.OfAsync(db, what, entry, console, stop) is var (subject, text)
                        )
                        {
                            db.Notifications.Add(RowOf(receiver, entry, what, subject, text));
                        }
                    if (entries.Count > 0)
                        receiver.Seen = entries[^1].Number;
                }
                return true;
            },
            stop
        );
    }

    private NotificationRow RowOf(
        ReceiverRow receiver,
        HistoryRow entry,
        NotificationEvent what,
        string subject,
        string text
    ) =>
        new()
        {
            Receiver = receiver.Id,
            Entry = entry.Number,
            Event = what,
            Subject = subject,
            Text = text,
            At = entry.At,
            NextAt = _time.GetUtcNow(),
        };

    /// <summary>Sends what is due; true when there was something.</summary>
    private async Task<bool> SendAsync(Lease lease, CancellationToken stop)
    {
        var now = _time.GetUtcNow();
        if (
            !await store.ReadAsync(
                db => db.Notifications.AnyAsync(n => n.State == NotificationState.Waiting && n.NextAt <= now, stop),
                stop
            )
        )
            return false;
        var due = await store.WriteAsync(
            lease,
            async db =>
            {
                var rows = await db
                    .Notifications.Where(n => n.State == NotificationState.Waiting && n.NextAt <= now)
                    .OrderBy(n => n.NextAt)
                    .Take(NotificationsAtATime)
                    .ToListAsync(stop);
                var receivers = await db.Receivers.ToDictionaryAsync(r => r.Id, stop);
                foreach (var row in rows)
                    row.State = NotificationState.Sending;
                return rows.Where(n => receivers.ContainsKey(n.Receiver))
                    .Select(n => (Notification: n, Receiver: receivers[n.Receiver]))
                    .ToList();
            },
            stop
        );
        await Task.WhenAll(
            due.Select(async d =>
            {
                var why = await sending.SendAsync(d.Receiver, d.Notification, _time.GetUtcNow(), stop);
                await store.WriteAsync(
                    lease,
                    async db =>
                    {
                        if (
                            await db.Notifications.FindAsync([d.Notification.Receiver, d.Notification.Entry], stop)
                            is not { } row
                        )
                            return 0;
                        var attempts = ++row.Attempts;
                        (row.State, row.Why) = (
                            why is null ? NotificationState.Sent
                            : attempts > Waits.Length ? NotificationState.GivenUp
                            : NotificationState.Waiting,
                            why
                        );
                        if (row.State == NotificationState.Waiting)
                            row.NextAt = _time.GetUtcNow() + Waits[attempts - 1];
                        return 0;
                    },
                    stop
                );
            })
        );
        return due.Count > 0;
    }
}
