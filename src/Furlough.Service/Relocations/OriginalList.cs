using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Errands;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>Originals that are kept, and which of them may go (I13).</summary>
public sealed class OriginalList(Store store, TimeProvider time)
{
    /// <summary>By their numbers.</summary>
    public Task<List<OriginalView>> ReadAsync(Page page, CancellationToken stop) =>
        store.ReadAsync(db => ViewsAsync(db, page, time.GetUtcNow(), stop), stop);

    private static async Task<List<OriginalView>> ViewsAsync(
        FurloughDb db,
        Page page,
        DateTimeOffset now,
        CancellationToken stop
    )
    {
        var rows = await db
            .Originals.Where(o => page.Beyond == null || o.Number > page.Beyond)
            .OrderBy(o => o.Number)
            .Take(page.Limit)
            .ToListAsync(stop);
        var numbers = rows.ConvertAll(o => o.Relocation);
        var machines = await db.Machines.ToDictionaryAsync(m => m.Id, stop);
        var relocations = await db
            .Relocations.Where(r => numbers.Contains(r.Number))
            .ToDictionaryAsync(r => r.Number, stop);
        var errands = (
            await db
                .Errands.Where(e =>
                    numbers.Contains(e.Relocation)
                    && (
                        e.State == ErrandState.Declined || e.State == ErrandState.Open || e.State == ErrandState.Claimed
                    )
                )
                .ToListAsync(stop)
        ).ToLookup(e => e.Relocation);
        var surveys = await Surveys.OfAsync(db, [.. rows.Select(o => o.Machine).Distinct()], stop);
        return rows.ConvertAll(row =>
            View(
                row,
                machines[row.Machine],
                relocations[row.Relocation],
                surveys.GetValueOrDefault(row.Machine),
                [.. errands[row.Relocation]],
                now
            )
        );
    }

    private static OriginalView View(
        OriginalRow row,
        MachineRow machine,
        RelocationRow relocation,
        Survey? survey,
        IReadOnlyList<ErrandRow> errands,
        DateTimeOffset now
    )
    {
        var kept = Column.Read(row.Body, ModelJson.Default.OriginalFacts);
        var seen = survey?.Originals.FirstOrDefault(o => o.Docket == row.Docket) ?? kept;
        return new OriginalView
        {
            Id = OriginalDesk.IdOf(row),
            Relocation = row.Relocation,
            Run = relocation.Run,
            Machine = machine.Name,
            Room = machine.Room,
            Account = kept.Holding.Account,
            Holding = kept.Holding.Name,
            Place = survey?.Show(kept.Source) ?? kept.Source.Path,
            Files = kept.Files,
            DataBytes = kept.DataBytes,
            SetAside = kept.SetAside,
            KeptUntil = row.KeptUntil,
            Eligible = now >= row.KeptUntil,
            WrittenTo = seen.WrittenTo,
            Recreated = seen.Recreated,
            Blockers = OriginalDesk.Blockers(seen, relocation, errands),
        };
    }
}
