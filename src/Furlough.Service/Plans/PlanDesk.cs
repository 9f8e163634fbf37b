using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Plans;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Plans;

/// <summary>Plans: checked, made, listed, consented to.</summary>
public sealed class PlanDesk(Store store, LiveHub live, TimeProvider time)
{
    /// <summary>One by its number.</summary>
    public Task<PlanView> OneAsync(long number, CancellationToken stop) =>
        store.ReadAsync(async db => await ViewAsync(db, await Find.PlanAsync(db, number, stop), stop), stop);

    /// <summary>What another plan does otherwise.</summary>
    public Task<PlanChanges> DifferenceAsync(long number, long other, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                PlanDifference.Between(
                    Column.Read((await Find.PlanAsync(db, number, stop)).Body, ModelJson.Default.PlanBody),
                    Column.Read((await Find.PlanAsync(db, other, stop)).Body, ModelJson.Default.PlanBody)
                ),
            stop
        );

    /// <summary>What a brief means in this fleet, or where it is wrong.</summary>
    public async Task<BriefCheck> CheckAsync(BriefText text, CancellationToken stop)
    {
        Brief brief;
        try
        {
            brief = BriefReader.Read(text.Brief);
        }
        catch (BriefException wrong)
        {
            return new BriefCheck(
                "",
                0,
                0,
                [],
                [],
                [.. wrong.Errors.Select(e => new PlaceError(e.Line, e.Column, e.Message, e.Expected))]
            );
        }
        var fleet = await Fleet.AllAsync(store, live, stop);
        var lines = FleetMatch.Of(brief, fleet);
        var items = lines.TakeLast(brief.Relocate.Count).ToList();
        return new BriefCheck(
            brief.Title,
            lines[0].Machines,
            items.Sum(i => i.Holdings),
            [.. lines.Select(l => new BriefLine(l.Line, l.What, l.Machines, l.Holdings, l.DataBytes, l.Missed))],
            [.. lines.SelectMany(l => l.Missed)],
            []
        );
    }

    public async Task<PlanView> MakeAsync(BriefText text, string who, CancellationToken stop)
    {
        var brief = Read(text.Brief);
        var fleet = await Fleet.AllAsync(store, live, stop);
        var experience = await store.ReadAsync(db => Learning.ExperienceAsync(db, stop), stop);
        var body = Planner.Make(brief, fleet, experience, time.GetUtcNow());
        if (body.Machines.Count == 0)
            throw new RefusedException(
                RefusalKind.Malformed,
                "no-machine-meant",
                "The brief means no machine of this fleet.",
                "See `furlough brief check BRIEF` and `furlough machine list`."
            );
        return await store.WriteAsync(
            async db =>
            {
                var row = PlanState.NewRow(body, Planner.Digest(body), who, time.GetUtcNow());
                db.Plans.Add(row);
                await db.SaveChangesAsync(stop);
                db.Record(row.MadeAt, row.MadeBy, HistoryEvent.PlanMade, About.Plan(row.Number), detail: row.Digest);
                db.Effects.Say("plan", row.Number);
                return await ViewAsync(db, row, stop, madeNow: true);
            },
            stop
        );
    }

    private static Brief Read(string text)
    {
        try
        {
            return BriefReader.Read(text);
        }
        catch (BriefException wrong)
        {
            throw new RefusedException(
                RefusalKind.Malformed,
                "brief-wrong",
                wrong.Summary,
                BriefException.Remedy,
                wrong.Place,
                [.. wrong.Errors.Select(e => e.ToString())]
            );
        }
    }

    /// <summary>The newest first.</summary>
    public Task<List<PlanSummary>> ListAsync(Page page, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var plans = await db
                    .Plans.Where(p => page.Beyond == null || p.Number < page.Beyond)
                    .OrderByDescending(p => p.Number)
                    .Take(page.Limit)
                    .Select(p => new
                    {
                        p.Number,
                        p.Title,
                        p.Digest,
                        p.MadeAt,
                        p.MadeBy,
                        p.Machines,
                        p.Relocations,
                        p.DataBytes,
                        p.Blocked,
                        p.Asks,
                    })
                    .ToListAsync(stop);
                var numbers = plans.ConvertAll(p => p.Number);
                var given = (
                    await db
                        .Consents.Where(c => numbers.Contains(c.Plan))
                        .Select(c => new
                        {
                            c.Plan,
                            c.Digest,
                            c.Hazard,
                        })
                        .ToListAsync(stop)
                ).ToLookup(c => (c.Plan, c.Digest), c => c.Hazard);
                return plans.ConvertAll(p => new PlanSummary(
                    p.Number,
                    p.Title,
                    p.Digest,
                    p.MadeAt,
                    p.MadeBy,
                    p.Machines,
                    p.Relocations,
                    p.DataBytes,
                    p.Blocked,
                    Column.ReadNames(p.Asks).Except(given[(p.Number, p.Digest)]).Count()
                ));
            },
            stop
        );

    public async Task<PlanView> ConsentAsync(long number, ConsentRequest request, string who, CancellationToken stop)
    {
        if (string.IsNullOrWhiteSpace(request.Reason) || request.Reason.Length > 1_000)
            throw new RefusedException(
                RefusalKind.Malformed,
                "reason-missing",
                "A consent needs a reason of at most 1,000 characters.",
                "Say why this hazard is acceptable."
            );
        return await store.WriteAsync(
            async db =>
            {
                var plan = await Find.PlanAsync(db, number, stop);
                var body = Column.Read(plan.Body, ModelJson.Default.PlanBody);
                RequireAcceptable(number, body, request.Hazard);
                db.Consents.Add(
                    new ConsentRow
                    {
                        Id = Guid.CreateVersion7(),
                        Plan = number,
                        Digest = plan.Digest,
                        Hazard = request.Hazard,
                        Reason = request.Reason,
                        By = who,
                        At = time.GetUtcNow(),
                    }
                );
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.ConsentGiven,
                    About.Plan(number),
                    detail: $"{request.Hazard}: {request.Reason}"
                );
                await db.SaveChangesAsync(stop);
                db.Effects.Say("plan", number);
                return await ViewAsync(db, plan, stop);
            },
            stop
        );
    }

    private static void RequireAcceptable(long plan, PlanBody body, string hazard)
    {
        var found = body.Hazards.Where(h => h.Code == hazard).ToList();
        var codes = body.Hazards.Select(h => h.Code).Distinct().DefaultIfEmpty("none");
        if (found.Count == 0)
            throw new RefusedException(
                RefusalKind.Missing,
                "hazard-unknown",
                $"Plan {plan} has no hazard {hazard}.",
                $"It has {string.Join(", ", codes)}."
            );
        if (found.All(h => h.Severity != Severity.Consent))
            throw RefusedException.Conflict(
                "consent-not-possible",
                $"The hazard {hazard} is {found[0].Severity.Word()}: nobody can accept it.",
                found[0].Remedy
            );
    }

    /// <param name="madeNow">It was made from the surveys as they are: nothing can have changed since.</param>
    private static async Task<PlanView> ViewAsync(
        FurloughDb db,
        PlanRow row,
        CancellationToken stop,
        bool madeNow = false
    )
    {
        var body = Column.Read(row.Body, ModelJson.Default.PlanBody);
        var consents = await db
            .Consents.Where(c => c.Plan == row.Number)
            .OrderBy(c => c.At)
            .Select(c => new Consent(c.Hazard, c.Reason, c.By, c.At))
            .ToListAsync(stop);
        var runs = await db
            .Runs.Where(r => r.Plan == row.Number)
            .OrderBy(r => r.Number)
            .Select(r => r.Number)
            .ToListAsync(stop);
        // What a run of it has changed does not overtake it.
        var overtaken = madeNow || runs.Count > 0 ? [] : await PlanState.OvertakenAsync(db, body, stop);
        return new PlanView
        {
            Number = row.Number,
            Title = body.Title,
            Digest = row.Digest,
            MadeAt = row.MadeAt,
            MadeBy = row.MadeBy,
            Machines = body.Machines,
            Relocations = body.Relocations,
            Hazards = body.Hazards,
            Calendar = body.Calendar,
            Hours = body.Hours,
            Keep = body.Keep,
            Consents = consents,
            ConsentsWanted = await PlanState.ConsentsWantedAsync(db, row, body, stop),
            Overtaken = overtaken,
            Runs = runs,
        };
    }
}
