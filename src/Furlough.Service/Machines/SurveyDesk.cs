using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Errands;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Storage;

namespace Furlough.Service.Machines;

/// <summary>Takes surveys in and notices drift at once.</summary>
public sealed class SurveyDesk(Store store, LiveHub live, ErrandDesk errands, DrillDesk drills, TimeProvider time)
{
    private const int MostHoldings = 20_000,
        MostVolumes = 200,
        MostReceipts = 20_000,
        MostPast = 20_000;
    private static readonly TimeSpan LongestUp = TimeSpan.FromDays(36_500);

    /// <summary>Stores a survey.</summary>
    public async Task TakeAsync(Guid machine, Survey survey, CancellationToken stop)
    {
        Require(survey);
        var kept = survey with
        {
            Receipts =
                survey.Receipts.Count == 0
                    ? []
                    : await store.ReadAsync(db => JudgedAsync(db, survey.Receipts, stop), stop),
            Past = [],
        };
        var text = Column.Write(kept, ModelJson.Default.Survey);
        await store.WriteAsync(
            async db =>
            {
                var row = (await db.Machines.FindAsync([machine], stop))!;
                await SpaceHistory.KeepAsync(db, row, survey, time.GetUtcNow(), stop);
                await Surveys.KeepAsync(db, machine, text, stop);
                row.SurveyedAt = survey.TakenAt;
                await Reserves.SettleAsync(db, row, kept, stop);
                row.LastSeen = time.GetUtcNow();
                // By how long it runs already: clocks of machines may be wrong.
                if (survey.SentAt is { } told)
                    await errands.SignedInAsync(db, row, survey.Accounts, time.GetUtcNow() - told, stop);
                var begins =
                    survey is { StartedAt: { } started, SentAt: { } sent }
                    && sent - started < LongestUp
                    && await errands.StartedAsync(db, row, time.GetUtcNow() - (sent - started), stop);
                await drills.GoOnAsync(db, row, kept, stop);
                if (survey.Request == row.SurveyRequest)
                    row.SurveyWanted = false;
                var leftOut = await LeftOutAsync(db, row, survey, stop);
                var intended = row.LastDocket == 0 ? [] : await Fleet.IntendedAsync(db, machine, stop);
                row.Drifted = leftOut || (intended.Count > 0 && IsDrifted(row, kept, intended));
                db.Effects.Say("machine", machine);
                if (begins)
                    db.Effects.Wake(machine);
                return 0;
            },
            stop
        );
    }

    /// <summary>
    /// Writes down once who is locked out although nothing under way needs it; returns whether anybody is.
    /// </summary>
    private async Task<bool> LeftOutAsync(FurloughDb db, MachineRow machine, Survey survey, CancellationToken stop)
    {
        var keptOut = survey.Accounts.Where(a => a.KeptOut is not null).ToList();
        if (keptOut.Count > 0)
        {
            var atWork = (await Fleet.AtWorkAsync(db, machine.Id, stop))[machine.Id].ToHashSet(StringComparer.Ordinal);
            keptOut.RemoveAll(a => atWork.Contains(a.Name));
        }
        var told = machine.LeftOut.Split('\n');
        foreach (var account in keptOut.Where(a => !told.Contains(a.Name)))
            db.Record(
                time.GetUtcNow(),
                machine.Name,
                HistoryEvent.AccountLockedOut,
                About.Account(account.Name),
                detail: account.KeptOut is { Length: > 0 } why ? why : null
            );
        machine.LeftOut = string.Join('\n', keptOut.Select(a => a.Name));
        return keptOut.Count > 0;
    }

    /// <summary>Receipts, with whether the machine that they name signed them.</summary>
    private static async Task<IReadOnlyList<ReceiptFacts>> JudgedAsync(
        FurloughDb db,
        IReadOnlyList<ReceiptFacts> receipts,
        CancellationToken stop
    )
    {
        List<ReceiptFacts> judged = [];
        foreach (var receipt in receipts)
        {
            var machine = await db.Machines.FindAsync([receipt.Machine], stop);
            var keys = machine is null
                ? []
                : machine.FormerKeys.Split('\n', StringSplitOptions.RemoveEmptyEntries).Append(machine.PublicKey);
            judged.Add(
                receipt with
                {
                    Genuine = keys.Any(key => SigningKey.HasSigned(key, receipt.Body, receipt.Signature)),
                }
            );
        }
        return judged;
    }

    private bool IsDrifted(MachineRow row, Survey survey, IReadOnlyList<Intended> intended) =>
        Auditor
            .Audit([Fleet.ToFleet(row, survey, live)], intended, [], [], time.GetUtcNow())
            .Any(f => f.Severity == Severity.Blocking && f.Code != Auditor.AccountKeptOut);

    private static void Require(Survey survey)
    {
        RequireOnce(survey.Volumes.Select(v => v.Identity.Key).Where(k => k.Length > 0), "volumes");
        RequireOnce(survey.Accounts.Select(a => a.Name), "accounts");
        RequireOnce(survey.Holdings.Select(h => h.Name.ToString() + h.Name.Kind), "holdings");
        if (
            survey.Holdings.Aggregate(0m, (sum, h) => sum + h.DataBytes) > Bounds.LargestNumber
            || survey.Volumes.Aggregate(0m, (sum, v) => sum + v.SizeBytes) > Bounds.LargestNumber
        )
            throw Refused("out-of-bounds", "The sizes of the survey come to more than a machine can hold.");
        RequireCounts(survey);
        if (HasImpossibleSizes(survey))
            throw Refused("survey-impossible", "The survey has sizes that cannot be.");
        if (survey.Holdings.Any(h => !h.Name.IsShared && survey.Accounts.All(a => a.Name != h.Name.Account)))
            throw Refused("survey-impossible", "The survey has holdings of accounts that it does not list.");
    }

    private static void RequireCounts(Survey survey)
    {
        if (
            survey.Holdings.Count > MostHoldings
            || survey.Volumes.Count > MostVolumes
            || survey.Receipts.Count > MostReceipts
            || survey.Past.Count > MostPast
            || survey.CommonFolders.Sum(f => f.Left.Count + 1) > MostHoldings
        )
            throw Refused("survey-too-large", "The survey lists more than a machine can have.");
    }

    private static bool HasImpossibleSizes(Survey survey) =>
        survey.Volumes.Any(v => v.SizeBytes < 0 || v.FreeBytes < 0 || v.FreeBytes > v.SizeBytes)
        || survey.Past.Any(p => p.UsedBytes < 0)
        || survey.Holdings.Any(h =>
            h.Files < 0
            || h.DataBytes < 0
            || h.HiddenBytes < 0
            || h.CloudOnlyFiles < 0
            || h.CloudOnlyBytes < 0
            || h.Stray is { Files: < 0 } or { DataBytes: < 0 }
        )
        || survey.CommonFolders.Any(f => f.Left.Any(l => l.Files < 0 || l.DataBytes < 0));

    private static RefusedException Refused(string code, string text) =>
        new(RefusalKind.Malformed, code, text, "Look at the agent's log.");

    private static void RequireOnce(IEnumerable<string> names, string field)
    {
        var seen = new HashSet<string>(StringComparer.Ordinal);
        if (names.FirstOrDefault(n => !seen.Add(n)) is { } twice)
            throw Refused("survey-impossible", $"`{field}` of the survey names `{twice}` twice.");
    }
}
