using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Planning.Plans;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Audits;

/// <summary>Audits: made, listed.</summary>
public sealed class AuditDesk(Store store, LiveHub live, Freshness freshness, TimeProvider time)
{
    /// <summary>The latest 200.</summary>
    public Task<List<AuditSummary>> ListAsync(Page page, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                (
                    await db
                        .Audits.Where(a => page.Beyond == null || a.Number < page.Beyond)
                        .OrderByDescending(a => a.Number)
                        .Take(page.Limit)
                        .Select(a => new
                        {
                            a.Number,
                            a.MadeAt,
                            a.MadeBy,
                            a.FindingCount,
                            a.BlockingCount,
                            a.Basis,
                        })
                        .ToListAsync(stop)
                ).ConvertAll(a => new AuditSummary(
                    a.Number,
                    a.MadeAt,
                    a.MadeBy,
                    a.FindingCount,
                    a.BlockingCount,
                    BasisOf(a.Basis)
                )),
            stop
        );

    /// <summary>One by its number.</summary>
    public Task<AuditView> OneAsync(long number, CancellationToken stop) =>
        store.ReadAsync(async db => View(await Find.AuditAsync(db, number, stop)), stop);

    /// <summary>Surveys all machines that can be reached, then compares them with what is intended.</summary>
    public async Task<AuditView> MakeAsync(string who, CancellationToken stop)
    {
        await freshness.SurveyAllAsync(stop);
        // Surveys are long: nobody's writing waits while they are read.
        var row = await store.ReadAsync(db => LookAsync(db, who, stop), stop);
        return await store.WriteAsync(
            async db =>
            {
                var kept = row();
                db.Audits.Add(kept);
                await db.SaveChangesAsync(stop);
                var view = View(kept);
                db.Record(
                    kept.MadeAt,
                    kept.MadeBy,
                    HistoryEvent.AuditMade,
                    About.Audit(kept.Number),
                    detail: Words.Count(view.Findings.Count, "finding")
                );
                db.Effects.Say("audit", kept.Number);
                return view;
            },
            stop
        );
    }

    private async Task<Func<AuditRow>> LookAsync(FurloughDb db, string who, CancellationToken stop)
    {
        List<MachineRow> machines = [];
        List<FleetMachine> fleet = [];
        await foreach (var surveyed in Surveys.WithMachines(db, null).WithCancellation(stop))
        {
            machines.Add(surveyed.Machine);
            fleet.Add(Fleet.ToFleet(surveyed.Machine, surveyed.Read(), live));
        }
        var now = time.GetUtcNow();
        var findings = Auditor.Audit(
            fleet,
            await Fleet.IntendedAsync(db, null, stop),
            await Fleet.KeptAsync(db, null, stop),
            await Fleet.AskedAsync(db, null, now, stop),
            now,
            await Fleet.AtWorkAsync(db, null, stop)
        );
        // A new row each time that it is written.
        return () =>
            new AuditRow
            {
                MadeAt = now,
                MadeBy = who,
                Machines = machines.Count,
                Findings = Column.Write(findings, ModelJson.Default.IReadOnlyListFinding),
                FindingCount = findings.Count,
                BlockingCount = findings.Count(f => f.Severity == Severity.Blocking),
                Basis = BasisOf(machines),
            };
    }

    private string BasisOf(List<MachineRow> machines) =>
        JsonSerializer.Serialize(
            Basis.Of(machines.ConvertAll(m => (m.SurveyedAt, live.IsSilent(m.Id, m.LastSeen)))),
            JsonSerializerOptions.Web
        );

    private static AuditView View(AuditRow row) =>
        new(
            row.Number,
            row.MadeAt,
            row.MadeBy,
            row.Machines,
            Column.Read(row.Findings, ModelJson.Default.IReadOnlyListFinding),
            BasisOf(row.Basis)
        );

    internal static Basis? BasisOf(string? basis) =>
        basis is null ? null : JsonSerializer.Deserialize<Basis>(basis, JsonSerializerOptions.Web);
}
