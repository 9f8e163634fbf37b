using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Events;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>Machines: list, one, survey, invite.</summary>
public static class MachineEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/machines", (Store store, LiveHub live, CancellationToken stop) => store.ReadAsync(async db =>
        {
            var relocations = (await db.Relocations.OrderBy(r => r.Number).ToListAsync(stop)).ToLookup(r => r.Machine);
            var originals = (await db.Originals.ToListAsync(stop)).ToLookup(o => o.Machine);
            return (await db.Machines.OrderBy(m => m.Name).ToListAsync(stop)).ConvertAll(m => Summaries.Of(m, [.. relocations[m.Id]], [.. originals[m.Id]], live));
        }, stop)).For(Role.Reader);
        api.MapGet("/machines/{name}", DetailAsync).For(Role.Reader);
        api.MapPost("/machines/{name}/survey", SurveyAsync).For(Role.Technician);
        api.MapPost("/invites", AgentEndpoints.InviteAsync).For(Role.Technician);
    }

    private static Task<MachineDetail> DetailAsync(string name, Store store, LiveHub live, TimeProvider time, CancellationToken stop) => store.ReadAsync(async db =>
    {
        var machine = await FindAsync(db, name, stop);
        var rows = await db.Relocations.Where(r => r.Machine == machine.Id).OrderBy(r => r.Number).ToListAsync(stop);
        var originals = await db.Originals.Where(o => o.Machine == machine.Id).ToListAsync(stop);
        var survey = Column.SurveyOf(machine);
        var findings = Auditor.Audit([Fleet.ToFleet(machine, live)], await Fleet.IntendedAsync(db, machine.Id, stop), await Fleet.KeptAsync(db, machine.Id, stop), time.GetUtcNow());
        var last = rows.GroupBy(r => (r.Account, r.Holding)).ToDictionary(g => g.Key, g => RelocationViews.Of(g.Last(), machine, live, originals));
        var holdings = survey?.Holdings.Select(h => new HoldingView(h.Name.Account, h.Name.Name, h.PathShown, h.Present, h.Files, h.DataBytes, h.HiddenBytes, h.Pointers, h.InUse, last.GetValueOrDefault((h.Name.Account, h.Name.Name)))).ToList() ?? [];
        return new MachineDetail(Summaries.Of(machine, rows, originals, live), survey?.Accounts ?? [], holdings, findings, survey?.Notes ?? []);
    }, stop);

    private static async Task<MachineSummary> SurveyAsync(string name, Store store, LiveHub live, DocketSignals signals, CancellationToken stop)
    {
        var machine = await store.WriteAsync(async db =>
        {
            var row = await FindAsync(db, name, stop);
            row.SurveyWanted = true;
            return row;
        }, stop);
        signals.Raise([machine.Id]);
        return Summaries.Of(machine, [], [], live);
    }

    /// <summary>A machine by its name.</summary>
    public static async Task<MachineRow> FindAsync(FurloughDb db, string name, CancellationToken stop) =>
        await db.Machines.FirstOrDefaultAsync(m => m.Name == name, stop) ?? throw ProblemException.Missing($"machine {name}", "See `furlough machine list`.");
}
