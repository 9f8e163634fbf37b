using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>Drills of machines: begin one, list them.</summary>
public static class DrillEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/machines/{name}/drills", async (string name, DrillRequest request, DrillDesk drills, Store store, LiveHub live, HttpContext context, CancellationToken stop) =>
        {
            var view = await store.WriteAsync(async db => await drills.BeginAsync(db, await MachineAsync(db, name, stop), request.Volume, request.Account, context.Who(), stop), stop);
            live.Say("errand", view.Errand);
            return view;
        }).For(Role.Technician);
        api.MapGet("/machines/{name}/drills", (string name, Store store, CancellationToken stop) => store.ReadAsync(async db =>
        {
            var machine = await MachineAsync(db, name, stop);
            return (await db.Drills.Where(d => d.Machine == machine.Id).OrderByDescending(d => d.Number).ToListAsync(stop)).ConvertAll(DrillDesk.View);
        }, stop)).For(Role.Reader);
    }

    private static async Task<MachineRow> MachineAsync(FurloughDb db, string name, CancellationToken stop)
    {
        name = Uri.UnescapeDataString(name);
        return await db.Machines.FirstOrDefaultAsync(m => m.Name == name, stop) ?? throw ProblemException.Missing($"machine {name}", "See `furlough machine list`.");
    }
}
