using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Storage;

/// <summary>
/// The right to do a piece of work that only one instance may do at a time. Alone it says nothing: anyone who writes
/// for that work asks in the same transaction whether it still has it.
/// </summary>
/// <param name="Work">Which work.</param>
/// <param name="Holder">The instance.</param>
/// <param name="Epoch">Rises with each change of hands.</param>
public sealed record Lease(string Work, Guid Holder, long Epoch)
{
    /// <summary>Refuses to write for the work of another; until the transaction ends nobody takes it over.</summary>
    /// <exception cref="LeaseLostException"/>
    internal async Task RequireAsync(FurloughDb db, CancellationToken stop)
    {
        // An update, not a question: it locks the row in every database.
        var held = await db
            .Leases.Where(l => l.Work == Work && l.Holder == Holder && l.Epoch == Epoch)
            .ExecuteUpdateAsync(set => set.SetProperty(l => l.Epoch, Epoch), stop);
        if (held == 0)
            throw new LeaseLostException(Work);
    }
}

/// <summary>Another instance does this work now: nothing was written.</summary>
public sealed class LeaseLostException(string work) : Exception($"another instance of the service took over: {work}");

/// <summary>Gives out leases, by the database's clock: instances need not agree on the time.</summary>
public sealed class Leases(Store store, Instance instance)
{
    /// <summary>Takes a lease, or keeps it for longer; null while another instance has it.</summary>
    public Task<Lease?> TakeAsync(string work, TimeSpan length, CancellationToken stop) =>
        store.WriteAsync<Lease?>(
            async db =>
            {
                var now = await NowAsync(db, stop);
                if (await db.Leases.FindAsync([work], stop) is not { } row)
                    db.Leases.Add(row = new LeaseRow { Work = work, Holder = instance.Id });
                else if (row.Holder != instance.Id)
                {
                    if (row.Until > now)
                        return null;
                    (row.Holder, row.Epoch) = (instance.Id, row.Epoch + 1);
                }
                row.Until = now + length;
                return new Lease(work, row.Holder, row.Epoch);
            },
            stop
        );

    /// <summary>Another instance may take it at once.</summary>
    public Task GiveBackAsync(Lease lease, CancellationToken stop) =>
        store.WriteAsync(
            db =>
                db.Leases.Where(l => l.Work == lease.Work && l.Holder == lease.Holder && l.Epoch == lease.Epoch)
                    .ExecuteUpdateAsync(set => set.SetProperty(l => l.Until, DateTimeOffset.UnixEpoch), stop),
            stop
        );

    /// <summary>Whatever other instances held, none of them is there any more.</summary>
    public Task EndAllAsync(CancellationToken stop) =>
        store.WriteAsync(
            db => db.Leases.ExecuteUpdateAsync(set => set.SetProperty(l => l.Until, DateTimeOffset.UnixEpoch), stop),
            stop
        );

    private static async Task<DateTimeOffset> NowAsync(FurloughDb db, CancellationToken stop) =>
        DateTimeOffset.FromUnixTimeMilliseconds(
            (
                await db
                    .Database.SqlQuery<long>($"SELECT CAST(unixepoch('subsec') * 1000 AS INTEGER)")
                    .ToListAsync(stop)
            ).Single()
        );
}
