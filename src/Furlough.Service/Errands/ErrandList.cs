using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>Reads errands.</summary>
public sealed class ErrandList(Store store, TimeProvider time)
{
    /// <summary>Those that are to be done, the most urgent first; with those that are over where wanted.</summary>
    public Task<List<ErrandView>> ReadAsync(bool all, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var machines = await db.Machines.ToDictionaryAsync(m => m.Id, stop);
                var rows = await db.Errands.OrderBy(e => e.Due).ThenBy(e => e.Number).ToListAsync(stop);
                return rows.Where(e => all || e.State.IsToDo())
                    .Select(e => ErrandViews.Of(e, machines[e.Machine], time))
                    .ToList();
            },
            stop
        );

    /// <summary>One by its number.</summary>
    public Task<ErrandView> OneAsync(long number, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var row = await Find.ErrandAsync(db, number, stop);
                return ErrandViews.Of(row, (await db.Machines.FindAsync([row.Machine], stop))!, time);
            },
            stop
        );
}
