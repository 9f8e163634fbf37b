using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>Relocations: list, one, retry, return, gather.</summary>
public static class RelocationEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/relocations", ListAsync).For(AccessLevel.Reader);
        api.MapGet("/relocations/{number:long}", (long number, Store store, LiveHub live, CancellationToken stop) =>
                store.ReadAsync(async db => await ViewAsync(db, await FindAsync(db, number, stop), live, stop), stop)
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/relocations/{number:long}/begin",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.BeginAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/retry",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.RetryAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/skip",
                (long number, SkipRequest request, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.SkipAsync(number, request.Reason, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/return",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.ReturnAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/gather",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.GatherAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/back-out",
                (long number, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.BackOutAsync(number, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/relocations/{number:long}/fall-back",
                (long number, FallBackRequest request, Acting acting, HttpContext context, CancellationToken stop) =>
                    acting.FallBackAsync(number, request.MissingFrom, context.Who(), stop)
            )
            .For(AccessLevel.Technician);
    }

    internal static async Task<RelocationRow> FindAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Relocations.FirstOrDefaultAsync(r => r.Number == number, stop)
        ?? throw ProblemException.Missing($"relocation {number}", "See `furlough relocation list`.");

    internal static async Task<RelocationView> ViewAsync(
        FurloughDb db,
        RelocationRow row,
        LiveHub live,
        CancellationToken stop
    ) =>
        RelocationViews.Of(
            row,
            (await db.Machines.FindAsync([row.Machine], stop))!,
            live,
            await db.Originals.Where(o => o.Relocation == row.Number).ToListAsync(stop)
        );

    private static Task<List<RelocationView>> ListAsync(
        string? run,
        string? machine,
        Store store,
        LiveHub live,
        CancellationToken stop
    ) =>
        store.ReadAsync(
            async db =>
            {
                if (!string.IsNullOrEmpty(run) && !long.TryParse(run, out _))
                    throw new ProblemException(
                        400,
                        "run-malformed",
                        $"`{run}` is not the number of a run.",
                        "See `furlough run list`."
                    );
                long? number = long.TryParse(run, out var n) ? n : null;
                var machines = await db
                    .Machines.Where(m => string.IsNullOrEmpty(machine) || m.Name == machine)
                    .ToDictionaryAsync(m => m.Id, stop);
                if (machines.Count == 0 && !string.IsNullOrEmpty(machine))
                    throw ProblemException.Missing($"machine {machine}", "See `furlough machine list`.");
                var rows = await db
                    .Relocations.Where(r => number == null || r.Run == number)
                    .OrderBy(r => r.Number)
                    .ToListAsync(stop);
                var originals = (await db.Originals.ToListAsync(stop)).ToLookup(o => o.Relocation);
                return rows.Where(r => machines.ContainsKey(r.Machine))
                    .Select(r => RelocationViews.Of(r, machines[r.Machine], live, [.. originals[r.Number]]))
                    .ToList();
            },
            stop
        );
}
