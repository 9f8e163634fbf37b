using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Storage;

/// <summary>One process of the service among those that share a storage.</summary>
public sealed record Instance(Guid Id)
{
    /// <summary>A process that starts.</summary>
    public Instance()
        : this(Guid.CreateVersion7()) { }
}

/// <summary>
/// What instances tell each other, stored with what it tells of. Entries are numbered one after the other under a lock
/// that lasts until the transaction ends, so none can appear below a number that someone has read already.
/// </summary>
public static class Outbox
{
    /// <summary>So many are kept; an instance that has fallen further behind believes nothing that it remembers.</summary>
    internal const int Kept = 10_000;

    private const int RemovedEvery = 1_000,
        AtATime = 500;

    /// <summary>Adds an entry, as the last thing that a transaction does.</summary>
    public static async Task AppendAsync(FurloughDb db, Instance by, OutboxEntry entry, CancellationToken stop)
    {
        if (entry.IsEmpty)
            return;
        var number = await NumberAsync(db, stop);
        db.Outbox.Add(
            new OutboxRow
            {
                Number = number,
                Instance = by.Id,
                Body = Column.Write(entry, OutboxJson.Default.OutboxEntry),
            }
        );
        await db.SaveChangesAsync(stop);
        if (number % RemovedEvery == 0)
            await db.Outbox.Where(e => e.Number <= number - Kept).ExecuteDeleteAsync(stop);
    }

    /// <summary>What other instances have told since an entry.</summary>
    /// <param name="after">The last entry that was read; null for an instance that has just begun.</param>
    /// <returns>The last entry there is now, and what to hear; there may be more.</returns>
    public static async Task<(long Last, IReadOnlyList<OutboxEntry> Heard)> ReadAsync(
        FurloughDb db,
        Instance reader,
        long? after,
        CancellationToken stop
    )
    {
        if (after is not { } last)
            return (await db.Outbox.MaxAsync(e => (long?)e.Number, stop) ?? 0, [OutboxEntry.Anything]);
        var rows = await db
            .Outbox.Where(e => e.Number > last)
            .OrderBy(e => e.Number)
            .Take(AtATime)
            .Select(e => new { e.Number, Body = e.Instance == reader.Id ? null : e.Body })
            .ToListAsync(stop);
        if (rows.Count == 0)
            return (last, []);
        List<OutboxEntry> heard =
        [
            .. rows.Where(r => r.Body is not null).Select(r => Column.Read(r.Body!, OutboxJson.Default.OutboxEntry)),
        ];
        return (rows[^1].Number, rows[0].Number == last + 1 ? heard : [OutboxEntry.Anything, .. heard]);
    }

    private static async Task<long> NumberAsync(FurloughDb db, CancellationToken stop) =>
        (
            await db
                .Database.SqlQuery<long>($"UPDATE Counters SET Last = Last + 1 WHERE Name = 'outbox' RETURNING Last")
                .ToListAsync(stop)
        ).Single();
}
