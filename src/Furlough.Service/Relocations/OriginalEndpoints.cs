using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>Originals: those that are kept, and which of them may go (I13).</summary>
public static class OriginalEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/originals", (Store store, TimeProvider time, CancellationToken stop) =>
                store.ReadAsync(async db => await ViewsAsync(db, time.GetUtcNow(), stop), stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/originals/{id}/discard",
                (
                    string id,
                    DiscardRequest request,
                    OriginalDesk originals,
                    HttpContext context,
                    CancellationToken stop
                ) => originals.DiscardAsync(id, request, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    private static async Task<List<OriginalView>> ViewsAsync(FurloughDb db, DateTimeOffset now, CancellationToken stop)
    {
        var machines = await db.Machines.ToDictionaryAsync(m => m.Id, stop);
        var relocations = await db
            .Relocations.Where(r => db.Originals.Any(o => o.Relocation == r.Number))
            .ToDictionaryAsync(r => r.Number, stop);
        var errands = (
            await db
                .Errands.Where(e =>
                    e.State == ErrandState.Declined || e.State == ErrandState.Open || e.State == ErrandState.Claimed
                )
                .ToListAsync(stop)
        ).ToLookup(e => e.Relocation);
        var surveys = new Dictionary<Guid, Survey?>();
        List<OriginalView> views = [];
        foreach (var row in await db.Originals.OrderBy(o => o.KeptUntil).ToListAsync(stop))
        {
            var kept = Column.Read(row.Body, ModelJson.Default.OriginalFacts);
            var machine = machines[row.Machine];
            if (!surveys.TryGetValue(row.Machine, out var survey))
                surveys[row.Machine] = survey = Column.SurveyOf(machine);
            var seen = survey?.Originals.FirstOrDefault(o => o.Docket == row.Docket) ?? kept;
            views.Add(
                new OriginalView(
                    OriginalDesk.IdOf(row),
                    row.Relocation,
                    relocations[row.Relocation].Run,
                    machine.Name,
                    machine.Room,
                    kept.Holding.Account,
                    kept.Holding.Name,
                    survey?.Show(kept.Source) ?? kept.Source.Path,
                    kept.Files,
                    kept.DataBytes,
                    kept.SetAside,
                    row.KeptUntil,
                    now >= row.KeptUntil,
                    seen.WrittenTo,
                    seen.Recreated,
                    OriginalDesk.Blockers(seen, relocations[row.Relocation], errands[row.Relocation])
                )
            );
        }
        return views;
    }
}
