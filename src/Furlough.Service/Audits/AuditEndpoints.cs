using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Events;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Audits;

/// <summary>Audits: compares every machine with what is intended.</summary>
public static class AuditEndpoints
{
    private const int MostEntries = 500;

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapPost("/audits", MakeAsync).For(AccessLevel.Technician);
        api.MapGet("/audits", (Store store, CancellationToken stop) => store.ReadAsync(
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
                ))
            .For(AccessLevel.Reader);
        api.MapGet("/audits/{number:long}", (long number, Store store, CancellationToken stop) =>
                store.ReadAsync(async db => View(await FindAsync(db, number, stop)), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/history", (string? before, string? about, Store store, CancellationToken stop) => store.ReadAsync(
                    async db =>
                    {
                        long? earlier =
                            string.IsNullOrEmpty(before) ? null
                            : long.TryParse(before, out var number) ? number
                            : throw new ProblemException(
                                400,
                                "number-malformed",
                                $"`{before}` is not the number of an entry.",
                                "Leave it out for the latest."
                            );
                        var like = string.IsNullOrEmpty(about)
                            ? null
                            : $"%{about.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("%", "\\%", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal)}%";
                        return await db
                            .History.Where(h =>
                                (earlier == null || h.Number < earlier)
                                && (
                                    like == null
                                    || EF.Functions.Like(
                                        h.By
                                            + " "
                                            + h.Action
                                            + " "
                                            + h.Subject
                                            + " "
                                            + (h.From ?? "")
                                            + " "
                                            + (h.To ?? ""),
                                        like,
                                        "\\"
                                    )
                                )
                            )
                            .OrderByDescending(h => h.Number)
                            .Take(MostEntries)
                            .Select(h => new HistoryEntry(h.Number, h.At, h.By, h.Action, h.Subject, h.From, h.To))
                            .ToListAsync(stop);
                    },
                    stop
                ))
            .For(AccessLevel.Reader);
    }

    internal static async Task<AuditRow> FindAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Audits.FirstOrDefaultAsync(a => a.Number == number, stop)
        ?? throw ProblemException.Missing($"audit {number}", "See `furlough audit list`.");

    private static async Task<AuditView> MakeAsync(
        Store store,
        LiveHub live,
        Freshness freshness,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
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
                    MadeBy = context.Who(),
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
                    "audit made",
                    $"audit {row.Number}",
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
