using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Audits;
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
    public Task<List<AuditSummary>> ListAsync(CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                (await db.Audits.OrderByDescending(a => a.Number).Take(200).ToListAsync(stop)).ConvertAll(a =>
                {
                    var findings = Column.Read(a.Findings, ModelJson.Default.IReadOnlyListFinding);
                    return new AuditSummary(
                        a.Number,
                        a.MadeAt,
                        a.MadeBy,
                        findings.Count,
                        findings.Count(f => f.Severity == Severity.Blocking),
                        BasisOf(a)
                    );
                }),
            stop
        );

    /// <summary>One by its number.</summary>
    public Task<AuditView> OneAsync(long number, CancellationToken stop) =>
        store.ReadAsync(async db => View(await Find.AuditAsync(db, number, stop)), stop);

    /// <summary>Surveys all machines that can be reached, then compares them with what is intended.</summary>
    public async Task<AuditView> MakeAsync(string who, CancellationToken stop)
    {
        await freshness.SurveyAllAsync(stop);
        var view = await store.WriteAsync(
            async db =>
            {
                var machines = await db.Machines.OrderBy(m => m.Name).ToListAsync(stop);
                var findings = Auditor.Audit(
                    machines.Select(m => Fleet.ToFleet(m, live)),
                    await Fleet.IntendedAsync(db, null, stop),
                    await Fleet.KeptAsync(db, null, stop),
                    await Fleet.AskedAsync(db, null, time.GetUtcNow(), stop),
                    time.GetUtcNow(),
                    await Fleet.AtWorkAsync(db, null, stop)
                );
                var row = new AuditRow
                {
                    MadeAt = time.GetUtcNow(),
                    MadeBy = who,
                    Machines = machines.Count,
                    Findings = Column.Write(findings, ModelJson.Default.IReadOnlyListFinding),
                    Basis = JsonSerializer.Serialize(
                        Basis.Of(machines.ConvertAll(m => (m.SurveyedAt, live.IsSilent(m.Id, m.LastSeen)))),
                        JsonSerializerOptions.Web
                    ),
                };
                db.Audits.Add(row);
                await db.SaveChangesAsync(stop);
                db.Record(
                    row.MadeAt,
                    row.MadeBy,
                    HistoryEvent.AuditMade,
                    About.Audit(row.Number),
                    null,
                    Words.Count(findings.Count, "finding")
                );
                return View(row);
            },
            stop
        );
        live.Say("audit", view.Number);
        return view;
    }

    private static AuditView View(AuditRow row) =>
        new(
            row.Number,
            row.MadeAt,
            row.MadeBy,
            row.Machines,
            Column.Read(row.Findings, ModelJson.Default.IReadOnlyListFinding),
            BasisOf(row)
        );

    internal static Basis? BasisOf(AuditRow row) =>
        row.Basis is null ? null : JsonSerializer.Deserialize<Basis>(row.Basis, JsonSerializerOptions.Web);
}
