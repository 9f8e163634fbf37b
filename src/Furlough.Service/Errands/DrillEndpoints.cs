using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>Drills of machines are begun here; the view of a machine has them.</summary>
public static class DrillEndpoints
{
    /// <summary>Maps the call.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost(
                "/machines/{name}/drills",
                async (
                    string name,
                    DrillRequest request,
                    DrillDesk drills,
                    Store store,
                    LiveHub live,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                {
                    var view = await store.WriteAsync(
                        async db =>
                            await drills.BeginAsync(
                                db,
                                await MachineAsync(db, name, stop),
                                request.Volume,
                                request.Account,
                                context.Who(),
                                stop
                            ),
                        stop
                    );
                    live.Say("errand", view.Errand);
                    return view;
                }
            )
            .For(AccessLevel.Technician);
    }

    private static async Task<MachineRow> MachineAsync(FurloughDb db, string name, CancellationToken stop)
    {
        name = Uri.UnescapeDataString(name);
        return await db.Machines.FirstOrDefaultAsync(m => m.Name == name, stop)
            ?? throw ProblemException.Missing($"machine {name}", "See `furlough machine list`.");
    }
}
