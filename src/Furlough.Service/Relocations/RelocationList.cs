using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.LiveEvents;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>Relocations as they are.</summary>
public sealed class RelocationList(LiveHub live, Store store)
{
    /// <summary>One by its number.</summary>
    public Task<RelocationView> OneAsync(long number, CancellationToken stop) =>
        store.ReadAsync(
            async db => await RelocationViews.OfAsync(db, await Find.RelocationAsync(db, number, stop), live, stop),
            stop
        );

    /// <summary>Those of a run, of a machine, or of both; all where neither is named. By their numbers.</summary>
    public Task<List<RelocationView>> ListAsync(long? run, string? machine, Page page, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                // Without their surveys, which are long.
                var machines = await db
                    .Machines.Where(m => string.IsNullOrEmpty(machine) || m.Name == machine)
                    .Select(m => new SeenMachine(m.Id, m.Name, m.Room, m.LastSeen))
                    .ToDictionaryAsync(m => m.Id, stop);
                if (machines.Count == 0 && !string.IsNullOrEmpty(machine))
                    throw Find.NoMachine(machine);
                Guid? only = string.IsNullOrEmpty(machine) ? null : machines.Values.Single().Id;
                var meant = db
                    .Relocations.Where(r =>
                        (run == null || r.Run == run)
                        && (only == null || r.Machine == only)
                        && (page.Beyond == null || r.Number > page.Beyond)
                    )
                    .OrderBy(r => r.Number)
                    .Take(page.Limit);
                var kept = await db
                    .Originals.Where(o => meant.Any(r => r.Number == o.Relocation))
                    .Select(o => o.Relocation)
                    .ToHashSetAsync(stop);
                return (await meant.ToListAsync(stop)).ConvertAll(r =>
                    RelocationViews.Of(r, machines[r.Machine], live, kept.Contains(r.Number))
                );
            },
            stop
        );
}
