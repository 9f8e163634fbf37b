using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Planning.Plans;
using Furlough.Protocol;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>The fleet as planning and audits see it.</summary>
public static class Fleet
{
    /// <summary>All machines.</summary>
    public static Task<List<FleetMachine>> AllAsync(Store store, LiveHub live, CancellationToken stop) => store.ReadAsync(async db =>
        (await db.Machines.OrderBy(m => m.Name).ToListAsync(stop)).ConvertAll(m => ToFleet(m, live)), stop);

    /// <summary>One machine.</summary>
    public static FleetMachine ToFleet(MachineRow row, LiveHub live) => new(row.Id, row.Name, row.Room, Column.SurveyOf(row), live.IsSilent(row.Id, row.LastSeen));

    /// <summary>Where holdings should live, as their last relocations left them.</summary>
    public static async Task<List<Intended>> IntendedAsync(FurloughDb db, Guid? machine, CancellationToken stop)
    {
        var rows = await db.Relocations.Where(r => (machine == null || r.Machine == machine) && r.Pointers != null
            && (r.State == RelocationState.Switched || r.State == RelocationState.Finished || r.State == RelocationState.Returned || r.State == RelocationState.Discarding)).OrderBy(r => r.Number).ToListAsync(stop);
        return [.. rows.GroupBy(r => (r.Machine, r.Account, r.Holding)).Select(g => ToIntended(g.Last()))];
    }

    /// <summary>Originals that wait.</summary>
    public static async Task<List<Kept>> KeptAsync(FurloughDb db, Guid? machine, CancellationToken stop) =>
        (await db.Originals.Where(o => machine == null || o.Machine == machine).ToListAsync(stop)).ConvertAll(o => new Kept(o.Machine, o.Relocation, Column.Read(o.Body, ModelJson.Default.OriginalFacts), o.KeptUntil));

    private static Intended ToIntended(RelocationRow row)
    {
        var planned = Column.PlannedOf(row);
        var pointers = Column.Read(row.Pointers!, ModelJson.Default.IReadOnlyListPointerHistory);
        return row.Live == Live.Source
            ? new Intended(row.Machine, row.Number, planned.Holding, planned.Source, planned.SourceShown, [.. pointers.Select(p => p with { Before = p.After, After = p.Before })])
            : new Intended(row.Machine, row.Number, planned.Holding, planned.Target, planned.TargetShown, pointers);
    }
}

/// <summary>Takes surveys in and notices drift at once.</summary>
public sealed class SurveyDesk(Store store, LiveHub live, TimeProvider time)
{
    private const int MostHoldings = 20_000, MostVolumes = 200, MostReceipts = 20_000;

    /// <summary>Stores a survey.</summary>
    public async Task TakeAsync(Guid machine, Survey survey, CancellationToken stop)
    {
        Require(survey);
        await store.WriteAsync(async db =>
        {
            var row = (await db.Machines.FindAsync([machine], stop))!;
            survey = survey with { Receipts = await JudgedAsync(db, survey.Receipts, stop) };
            row.Survey = Column.Write(survey, ModelJson.Default.Survey);
            row.SurveyedAt = survey.TakenAt;
            row.LastSeen = time.GetUtcNow();
            row.SurveyWanted = false;
            var intended = await Fleet.IntendedAsync(db, machine, stop);
            row.Drifted = Auditor.Audit([Fleet.ToFleet(row, live)], intended, [], time.GetUtcNow()).Any(f => f.Severity == Severity.Blocking);
            return 0;
        }, stop);
        live.Say("machine", machine);
    }

    /// <summary>Receipts, with whether the machine that they name signed them.</summary>
    private static async Task<IReadOnlyList<ReceiptFacts>> JudgedAsync(FurloughDb db, IReadOnlyList<ReceiptFacts> receipts, CancellationToken stop)
    {
        List<ReceiptFacts> judged = [];
        foreach (var receipt in receipts)
        {
            var machine = await db.Machines.FindAsync([receipt.Machine], stop);
            var keys = machine is null ? [] : machine.FormerKeys.Split('\n', StringSplitOptions.RemoveEmptyEntries).Append(machine.PublicKey);
            judged.Add(receipt with { Genuine = keys.Any(key => SigningKey.HasSigned(key, receipt.Body, receipt.Signature)) });
        }
        return judged;
    }

    private static void Require(Survey survey)
    {
        if (survey.Holdings.Count > MostHoldings || survey.Volumes.Count > MostVolumes || survey.Receipts.Count > MostReceipts) throw new ProblemException(400, "survey-too-large", "The survey lists more than a machine can have.", "Look at the agent's log.");
        if (survey.Volumes.Any(v => v.SizeBytes < 0 || v.FreeBytes < 0 || v.FreeBytes > v.SizeBytes) || survey.Holdings.Any(h => h.Files < 0 || h.DataBytes < 0))
            throw new ProblemException(400, "survey-impossible", "The survey has sizes that cannot be.", "Look at the agent's log.");
        if (survey.Holdings.Any(h => survey.Accounts.All(a => a.Name != h.Name.Account))) throw new ProblemException(400, "survey-impossible", "The survey has holdings of accounts that it does not list.", "Look at the agent's log.");
    }
}
