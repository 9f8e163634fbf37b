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
            await db
                .Machines.Where(m => m.Id == row.Machine)
                .Select(m => new SeenMachine(m.Id, m.Name, m.Room, m.LastSeen))
                .SingleAsync(stop),
            live,
            await db.Originals.AnyAsync(o => o.Relocation == row.Number, stop)
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
                // Without their surveys, which are long.
                var machines = await db
                    .Machines.Where(m => string.IsNullOrEmpty(machine) || m.Name == machine)
                    .Select(m => new SeenMachine(m.Id, m.Name, m.Room, m.LastSeen))
                    .ToDictionaryAsync(m => m.Id, stop);
                if (machines.Count == 0 && !string.IsNullOrEmpty(machine))
                    throw ProblemException.Missing($"machine {machine}", "See `furlough machine list`.");
                Guid? only = string.IsNullOrEmpty(machine) ? null : machines.Values.Single().Id;
                var meant = db.Relocations.Where(r =>
                    (number == null || r.Run == number) && (only == null || r.Machine == only)
                );
                var kept = await db
                    .Originals.Where(o => meant.Any(r => r.Number == o.Relocation))
                    .Select(o => o.Relocation)
                    .ToHashSetAsync(stop);
                return (await meant.OrderBy(r => r.Number).ToListAsync(stop)).ConvertAll(r =>
                    RelocationViews.Of(r, machines[r.Machine], live, kept.Contains(r.Number))
                );
            },
            stop
        );
}
