using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;
using MimeKit;

namespace Furlough.Service.Notifications;

/// <summary>Who is notified of events: added, listed, removed.</summary>
public sealed class Receivers(Store store, ServiceOptions options, CallSecrets secrets, TimeProvider time)
{
    private const int MostReceivers = 100,
        MostTroubles = 20;

    /// <summary>All, with what became of what they were to get.</summary>
    public Task<List<ReceiverView>> ListAsync(CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                List<ReceiverView> views = [];
                foreach (var row in await db.Receivers.OrderBy(r => r.Name).ToListAsync(stop))
                {
                    var states = await db
                        .Notifications.Where(n => n.Receiver == row.Id)
                        .GroupBy(n => n.State)
                        .Select(g => new { g.Key, Count = g.Count() })
                        .ToDictionaryAsync(g => g.Key, g => g.Count, stop);
                    var troubles = await db
                        .Notifications.Where(n =>
                            n.Receiver == row.Id && n.Why != null && n.State != NotificationState.Sent
                        )
                        .OrderByDescending(n => n.Entry)
                        .Take(MostTroubles)
                        .ToListAsync(stop);
                    views.Add(
                        View(
                            row,
                            states.GetValueOrDefault(NotificationState.Sent),
                            states.GetValueOrDefault(NotificationState.Waiting)
                                + states.GetValueOrDefault(NotificationState.Sending),
                            troubles
                        )
                    );
                }
                return views;
            },
            stop
        );

    private void Require(ReceiverRequest request)
    {
        if (request.Mail is null == request.Call is null)
            throw new RefusedException(
                RefusalKind.Malformed,
                "receiver-refused",
                "A receiver is notified by mail or by a call, one of the two.",
                "Give --mail ADDRESS or --call URL."
            );
        if (request.Mail is { } mail && !IsMailAddress(mail))
            throw new RefusedException(
                RefusalKind.Malformed,
                "address-malformed",
                $"`{mail}` is not an address for mail.",
                "Give one such as keeper@station.example."
            );
        if (request.Mail is not null && options.Mail is null)
            throw RefusedException.Conflict(
                "no-mail-server",
                "The service was started without a mail server.",
                "Start it with --mail-server and --mail-from."
            );
        if (request.Call is { } call && !IsWebAddress(call))
            throw new RefusedException(
                RefusalKind.Malformed,
                "address-malformed",
                $"`{call}` is not a web address.",
                "Give one that begins with https://, without a password in it."
            );
    }

    private static bool IsMailAddress(string mail) =>
        !mail.Any(char.IsControl) && MailboxAddress.TryParse(mail, out var box) && box.Address.Contains('@');

    private static bool IsWebAddress(string call) =>
        Uri.TryCreate(call, UriKind.Absolute, out var uri)
        && uri.Scheme is "http" or "https"
        && uri.UserInfo.Length == 0;

    /// <summary>Adds one, who is told of what happens from now on.</summary>
    /// <exception cref="RefusedException"><c>name-taken</c>, <c>receivers-too-many</c></exception>
    public Task<ReceiverView> AddAsync(ReceiverRequest request, string who, CancellationToken stop)
    {
        NewName.Require(request.Name, "A receiver");
        Require(request);
        return store.WriteAsync(
            async db =>
            {
                if (await db.Receivers.AnyAsync(r => r.Name == request.Name, stop))
                    throw RefusedException.Conflict(
                        "name-taken",
                        $"There is a receiver called {request.Name} already.",
                        "Choose another name, or remove that one first."
                    );
                if (await db.Receivers.CountAsync(stop) >= MostReceivers)
                    throw RefusedException.Conflict(
                        "receivers-too-many",
                        $"There are {MostReceivers} receivers already.",
                        "Remove one with `furlough notification remove NAME`."
                    );
                var (secret, sealedSecret) = secrets.Make();
                var row = new ReceiverRow
                {
                    Id = Guid.CreateVersion7(),
                    Name = request.Name,
                    Mail = request.Mail,
                    Call = request.Call,
                    On = string.Join('\n', request.On.Distinct().Select(e => e.Word())),
                    Secret = sealedSecret,
                    AddedBy = who,
                    AddedAt = time.GetUtcNow(),
                    // Told of what happens from now on.
                    Seen = await db.History.MaxAsync(h => (long?)h.Number, stop) ?? 0,
                };
                db.Receivers.Add(row);
                db.Record(
                    row.AddedAt,
                    row.AddedBy,
                    HistoryEvent.ReceiverAdded,
                    About.Receiver(row.Name),
                    detail: row.Mail ?? row.Call
                );
                return View(row, 0, 0, []) with { Secret = row.Call is null ? null : secret };
            },
            stop
        );
    }

    public async Task RemoveAsync(string name, string who, CancellationToken stop)
    {
        name = Uri.UnescapeDataString(name);
        await store.WriteAsync(
            async db =>
            {
                var row = await db.Receivers.FirstOrDefaultAsync(r => r.Name == name, stop)
                    ?? throw RefusedException.Missing($"receiver {name}", "See `furlough notification list`.");
                db.Receivers.Remove(row);
                await db.Notifications.Where(n => n.Receiver == row.Id).ExecuteDeleteAsync(stop);
                db.Record(time.GetUtcNow(), who, HistoryEvent.ReceiverRemoved, About.Receiver(name));
                return 0;
            },
            stop
        );
    }

    private static ReceiverView View(ReceiverRow row, int sent, int waiting, IEnumerable<NotificationRow> troubles) =>
        new(
            row.Name,
            row.Mail,
            row.Call,
            [
                .. row
                    .On.Split('\n', StringSplitOptions.RemoveEmptyEntries)
                    .Select(e => Words.Find<NotificationEvent>(e)!.Value),
            ],
            row.AddedBy,
            row.AddedAt,
            sent,
            waiting,
            [
                .. troubles.Select(n => new NotificationTrouble(
                    n.Event,
                    n.Subject,
                    n.State,
                    n.Attempts,
                    n.Why!,
                    n.State == NotificationState.Waiting ? n.NextAt : null
                )),
            ]
        );
}
