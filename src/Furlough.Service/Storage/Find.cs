using Furlough.Service.Errands;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Storage;

/// <summary>What people name, by its name or number; refused as missing where there is none.</summary>
internal static class Find
{
    internal static async Task<MachineRow> MachineAsync(FurloughDb db, string name, CancellationToken stop) =>
        await db.Machines.FirstOrDefaultAsync(m => m.Name == name, stop) ?? throw NoMachine(name);

    internal static RefusedException NoMachine(string name) =>
        RefusedException.Missing($"machine {name}", "See `furlough machine list`.");

    internal static async Task<PlanRow> PlanAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Plans.FirstOrDefaultAsync(p => p.Number == number, stop)
        ?? throw RefusedException.Missing($"plan {number}", "See `furlough plan list`.");

    internal static async Task<RunRow> RunAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Runs.FirstOrDefaultAsync(r => r.Number == number, stop)
        ?? throw RefusedException.Missing($"run {number}", "See `furlough run list`.");

    internal static async Task<RelocationRow> RelocationAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Relocations.FirstOrDefaultAsync(r => r.Number == number, stop)
        ?? throw RefusedException.Missing($"relocation {number}", "See `furlough relocation list`.");

    internal static async Task<ErrandRow> ErrandAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Errands.FirstOrDefaultAsync(e => e.Number == number, stop)
        ?? throw RefusedException.Missing($"errand {number}", "See `furlough errand list`.");

    internal static async Task<AuditRow> AuditAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Audits.FirstOrDefaultAsync(a => a.Number == number, stop)
        ?? throw RefusedException.Missing($"audit {number}", "See `furlough audit list`.");
}
