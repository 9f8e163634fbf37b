using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Planning.Plans;
using Furlough.Service.Errands;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>The fleet as planning and audits see it.</summary>
public static class Fleet
{
    /// <summary>All machines.</summary>
    public static Task<List<FleetMachine>> AllAsync(Store store, LiveHub live, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                List<FleetMachine> all = [];
                await foreach (var surveyed in Surveys.WithMachines(db, null).WithCancellation(stop))
                    all.Add(ToFleet(surveyed.Machine, surveyed.Read(), live));
                return all;
            },
            stop
        );

    /// <summary>One machine.</summary>
    public static FleetMachine ToFleet(MachineRow row, Survey? survey, LiveHub live) =>
        new(row.Id, row.Name, row.Room, survey, live.IsSilent(row.Id, row.LastSeen))
        {
            Growth = Column.GrowthOf(row),
            Tag = row.Tag,
            Drilled = row.Drilled.Split('\n', StringSplitOptions.RemoveEmptyEntries),
            Reserves = row.ReservesSaid ? Column.ReservesOf(row) : null,
        };

    /// <summary>Where holdings should live, as their last relocations left them.</summary>
    public static async Task<List<Intended>> IntendedAsync(FurloughDb db, Guid? machine, CancellationToken stop)
    {
        var rows = await db
            .Relocations.Where(r =>
                (machine == null || r.Machine == machine)
                && r.Pointers != null
                && (
                    r.State == RelocationState.Switched
                    || r.State == RelocationState.Finished
                    || r.State == RelocationState.Returned
                    || r.State == RelocationState.Discarding
                    || r.State == RelocationState.Gathering
                )
            )
            .OrderBy(r => r.Number)
            .ToListAsync(stop);
        var intended = rows.GroupBy(r => (r.Machine, r.Account, r.Holding))
            .Select(g => ToIntended(g.Last(), DataLeftAt(g)))
            .ToList();
        // What moved along with the holding around it lives where that took it.
        var taken = intended
            .SelectMany(i => i.Pointers.Where(p => p.Within.Length > 0).Select(p => (i.Machine, p.Address, i.Since)))
            .ToList();
        return taken.Count == 0
            ? intended
            :
            [
                .. intended.Where(i =>
                    !taken.Exists(t =>
                        t.Machine == i.Machine
                        && t.Since > i.Since
                        && i.Pointers.Any(p => p.Address == t.Address && p.Within.Length == 0)
                    )
                ),
            ];
    }

    /// <summary>Originals that wait.</summary>
    public static async Task<List<Kept>> KeptAsync(FurloughDb db, Guid? machine, CancellationToken stop) =>
        (
            await db
                .Originals.Where(o => machine == null || o.Machine == machine)
                .Join(db.Relocations, o => o.Relocation, r => r.Number, (o, r) => new { Original = o, r.GatheredAt })
                .ToListAsync(stop)
        ).ConvertAll(k => new Kept(
            k.Original.Machine,
            k.Original.Relocation,
            Column.Read(k.Original.Body, ModelJson.Default.OriginalFacts),
            k.Original.KeptUntil,
            k.GatheredAt,
            OriginalDesk.IdOf(k.Original)
        ));

    /// <summary>By machine: the accounts of which something is being relocated.</summary>
    public static async Task<ILookup<Guid, string>> AtWorkAsync(FurloughDb db, Guid? machine, CancellationToken stop) =>
        (
            await db
                .Relocations.Where(r =>
                    (machine == null || r.Machine == machine) && RunControl.NotAtRest.Contains(r.State)
                )
                .Select(r => new { r.Machine, r.Account })
                .ToListAsync(stop)
        ).ToLookup(r => r.Machine, r => r.Account);

    /// <summary>
    /// Errands that an audit tells of: overdue ones, and those declined after a relocation that still stands.
    /// </summary>
    public static async Task<List<Asked>> AskedAsync(
        FurloughDb db,
        Guid? machine,
        DateTimeOffset now,
        CancellationToken stop
    )
    {
        List<Asked> asked = [];
        foreach (
            var errand in await db
                .Errands.Where(e =>
                    (machine == null || e.Machine == machine)
                    && (
                        ((e.State == ErrandState.Open || e.State == ErrandState.Claimed) && e.Due < now)
                        || (e.State == ErrandState.Declined && e.Cause == ErrandCause.Afterwards)
                    )
                )
                .OrderBy(e => e.Number)
                .ToListAsync(stop)
        )
        {
            var standing = (await ErrandDesk.ConcernedAsync(db, errand, stop))
                .Where(r => errand.State != ErrandState.Declined || r.Live == Live.Target)
                .Select(r => r.Number)
                .ToList();
            if (standing.Count > 0)
                asked.Add(
                    new Asked(
                        errand.Machine,
                        errand.Number,
                        errand.Kind,
                        errand.Account,
                        errand.Due,
                        errand.State == ErrandState.Declined ? (errand.EndedBy!, errand.Remark!) : null,
                        standing
                    )
                );
        }
        return asked;
    }

    private static IReadOnlyList<string> DataLeftAt(IEnumerable<RelocationRow> rows) =>
        [
            .. rows.Where(r => r.State != RelocationState.Returned)
                .Select(Column.PlannedOf)
                .Where(p => p.Method == Method.RepointOnly)
                .Select(p => p.SourceShown),
        ];

    private static Intended ToIntended(RelocationRow row, IReadOnlyList<string> dataLeftAt)
    {
        var planned = Column.PlannedOf(row);
        var pointers = Column.Read(row.Pointers!, ModelJson.Default.IReadOnlyListPointerHistory);
        return row.Live == Live.Source
            ? new Intended(
                row.Machine,
                row.Number,
                planned.Holding,
                planned.From.Place,
                planned.SourceShown,
                [.. pointers.Select(p => p with { Before = p.After, After = p.Before })],
                row.AsOf
            )
            : new Intended(
                row.Machine,
                row.Number,
                planned.Holding,
                planned.To.Place,
                planned.TargetShown,
                pointers,
                row.AsOf
            )
            {
                DataLeftAt = dataLeftAt,
            };
    }
}
