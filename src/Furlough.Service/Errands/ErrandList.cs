using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>Reads errands.</summary>
public sealed class ErrandList(Store store, TimeProvider time)
{
    /// <summary>Those that are to be done, with those that are over where wanted, by their numbers.</summary>
    public Task<List<ErrandView>> ReadAsync(bool all, Page page, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var machines = await db.Machines.ToDictionaryAsync(m => m.Id, stop);
                var rows = await db
                    .Errands.Where(e =>
                        (all || e.State == ErrandState.Open || e.State == ErrandState.Claimed)
                        && (page.Beyond == null || e.Number > page.Beyond)
                    )
                    .OrderBy(e => e.Number)
                    .Take(page.Limit)
                    .ToListAsync(stop);
                return rows.ConvertAll(e => ErrandViews.Of(e, machines[e.Machine], time));
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
