using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Planning.Plans;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>The fleet as planning and audits see it.</summary>
public static class Fleet
{
    /// <summary>All machines.</summary>
    public static Task<List<FleetMachine>> AllAsync(Store store, LiveHub live, CancellationToken stop) => store.ReadAsync(async db =>
        (await db.Machines.OrderBy(m => m.Name).ToListAsync(stop)).ConvertAll(m => ToFleet(m, live)), stop);

    /// <summary>One machine.</summary>
    public static FleetMachine ToFleet(MachineRow row, LiveHub live) => ToFleet(row, Column.SurveyOf(row), live);

    /// <summary>One machine whose survey is known.</summary>
    public static FleetMachine ToFleet(MachineRow row, Survey? survey, LiveHub live) => new(row.Id, row.Name, row.Room, survey, live.IsSilent(row.Id, row.LastSeen)) { Growth = Column.GrowthOf(row), Role = row.Role };

    /// <summary>Where holdings should live, as their last relocations left them.</summary>
    public static async Task<List<Intended>> IntendedAsync(FurloughDb db, Guid? machine, CancellationToken stop)
    {
        var rows = await db.Relocations.Where(r => (machine == null || r.Machine == machine) && r.Pointers != null
            && (r.State == RelocationState.Switched || r.State == RelocationState.Finished || r.State == RelocationState.Returned || r.State == RelocationState.Discarding || r.State == RelocationState.Gathering)).OrderBy(r => r.Number).ToListAsync(stop);
        return [.. rows.GroupBy(r => (r.Machine, r.Account, r.Holding)).Select(g => ToIntended(g.Last()))];
    }

    /// <summary>Originals that wait.</summary>
    public static async Task<List<Kept>> KeptAsync(FurloughDb db, Guid? machine, CancellationToken stop) =>
        (await db.Originals.Where(o => machine == null || o.Machine == machine).Join(db.Relocations, o => o.Relocation, r => r.Number, (o, r) => new { Original = o, r.GatheredAt }).ToListAsync(stop))
            .ConvertAll(k => new Kept(k.Original.Machine, k.Original.Relocation, Column.Read(k.Original.Body, ModelJson.Default.OriginalFacts), k.Original.KeptUntil, k.GatheredAt));

    private static Intended ToIntended(RelocationRow row)
    {
        var planned = Column.PlannedOf(row);
        var pointers = Column.Read(row.Pointers!, ModelJson.Default.IReadOnlyListPointerHistory);
        return row.Live == Live.Source
            ? new Intended(row.Machine, row.Number, planned.Holding, planned.Source, planned.SourceShown, [.. pointers.Select(p => p with { Before = p.After, After = p.Before })])
            : new Intended(row.Machine, row.Number, planned.Holding, planned.Target, planned.TargetShown, pointers);
    }
}
