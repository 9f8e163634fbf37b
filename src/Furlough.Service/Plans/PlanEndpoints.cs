using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Plans;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Events;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Plans;

/// <summary>Briefs, plans and consents.</summary>
public static class PlanEndpoints
{
    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/briefs/sample", () => new BriefText(BriefSample.Text)).For(AccessLevel.Reader);
        api.MapGet("/briefs/schema", () => TypedResults.Text(BriefSample.Schema, "application/schema+json"))
            .For(AccessLevel.Reader);
        api.MapPost("/briefs/check", CheckAsync).For(AccessLevel.Reader);
        api.MapPost("/plans", MakeAsync).For(AccessLevel.Technician);
        api.MapGet("/plans", ListAsync).For(AccessLevel.Reader);
        api.MapGet("/plans/{number:long}", (long number, Store store, CancellationToken stop) =>
                store.ReadAsync(async db => await ViewAsync(db, await FindAsync(db, number, stop), stop), stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet(
                "/plans/{number:long}/difference/{other:long}",
                (long number, long other, Store store, CancellationToken stop) =>
                    store.ReadAsync(
                        async db =>
                            PlanDifference.Between(
                                Column.Read((await FindAsync(db, number, stop)).Body, ModelJson.Default.PlanBody),
                                Column.Read((await FindAsync(db, other, stop)).Body, ModelJson.Default.PlanBody)
                            ),
                        stop
                    )
            )
            .For(AccessLevel.Reader);
        api.MapPost("/plans/{number:long}/consents", ConsentAsync).For(AccessLevel.Technician);
    }

    /// <summary>A plan by its number.</summary>
    public static async Task<PlanRow> FindAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Plans.FirstOrDefaultAsync(p => p.Number == number, stop)
        ?? throw ProblemException.Missing($"plan {number}", "See `furlough plan list`.");

    /// <summary>Codes of hazards that nobody has accepted yet.</summary>
    public static async Task<IReadOnlyList<string>> ConsentsWantedAsync(
        FurloughDb db,
        PlanRow plan,
        PlanBody body,
        CancellationToken stop
    )
    {
        var given = await db
            .Consents.Where(c => c.Plan == plan.Number && c.Digest == plan.Digest)
            .Select(c => c.Hazard)
            .ToListAsync(stop);
        return
        [
            .. body
                .Hazards.Where(h => h.Severity == Severity.Consent)
                .Select(h => h.Code)
                .Distinct()
                .Except(given)
                .Order(StringComparer.Ordinal),
        ];
    }

    /// <summary>What has changed on the machines since the plan was made, as far as it matters to the plan.</summary>
    public static async Task<IReadOnlyList<string>> OvertakenAsync(FurloughDb db, PlanBody body, CancellationToken stop)
    {
        List<string> changes = [];
        foreach (var group in body.Relocations.Where(r => r.Blocked.Count == 0).GroupBy(r => r.Machine))
        {
            if (
                await db.Machines.FindAsync([group.Key], stop) is not { } machine
                || Column.SurveyOf(machine) is not { } survey
            )
            {
                changes.Add($"{group.First().MachineName} is not in the fleet any more.");
                continue;
            }
            foreach (var planned in group)
            {
                var holding = survey.Holdings.FirstOrDefault(h => h.Name == planned.Holding);
                if (
                    holding is null
                    || !MovedTogether
                        .Pointers(survey, holding)
                        .Select(p => (p.Value, p.Within))
                        .SequenceEqual(planned.Pointers.Select(p => (p.Value, p.Within)))
                )
                    changes.Add($"The settings of {planned.Holding} on {planned.MachineName} have changed.");
                else if (survey.VolumeOf(planned.Target) is null)
                    changes.Add($"The target volume of {planned.Holding} on {planned.MachineName} is absent.");
            }
        }
        return changes;
    }

    private static async Task<BriefCheck> CheckAsync(BriefText text, Store store, LiveHub live, CancellationToken stop)
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

    private static async Task<PlanView> MakeAsync(
        BriefText text,
        Store store,
        LiveHub live,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        var brief = Read(text.Brief);
        var fleet = await Fleet.AllAsync(store, live, stop);
        var experience = await store.ReadAsync(db => Learning.ExperienceAsync(db, stop), stop);
        var body = Planner.Make(brief, fleet, experience, time.GetUtcNow());
        if (body.Machines.Count == 0)
            throw new ProblemException(
                400,
                "no-machine-meant",
                "The brief means no machine of this fleet.",
                "See `furlough brief check BRIEF` and `furlough machine list`."
            );
        var view = await store.WriteAsync(
            async db =>
            {
                var row = new PlanRow
                {
                    Digest = Planner.Digest(body),
                    MadeAt = time.GetUtcNow(),
                    MadeBy = context.Who(),
                    Body = Column.Write(body, ModelJson.Default.PlanBody),
                };
                db.Plans.Add(row);
                await db.SaveChangesAsync(stop);
                db.Record(row.MadeAt, row.MadeBy, "plan made", $"plan {row.Number}", null, row.Digest);
                return await ViewAsync(db, row, stop, madeNow: true);
            },
            stop
        );
        live.Say("plan", view.Number);
        return view;
    }

    private static Brief Read(string text)
    {
        try
        {
            return BriefReader.Read(text);
        }
        catch (BriefException wrong)
        {
            throw new ProblemException(
                400,
                "brief-wrong",
                wrong.Summary,
                BriefException.Remedy,
                wrong.Place,
                [.. wrong.Errors.Select(e => e.ToString())]
            );
        }
    }

    private static Task<List<PlanSummary>> ListAsync(Store store, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                List<PlanSummary> list = [];
                foreach (var row in await db.Plans.OrderByDescending(p => p.Number).Take(200).ToListAsync(stop))
                {
                    var body = Column.Read(row.Body, ModelJson.Default.PlanBody);
                    list.Add(
                        new PlanSummary(
                            row.Number,
                            body.Title,
                            row.Digest,
                            row.MadeAt,
                            row.MadeBy,
                            body.Machines.Count,
                            body.Relocations.Count(r => r.Blocked.Count == 0),
                            body.Relocations.Where(r => r.Blocked.Count == 0).Sum(r => r.DataBytes),
                            body.Relocations.Count(r => r.Blocked.Count > 0),
                            (await ConsentsWantedAsync(db, row, body, stop)).Count
                        )
                    );
                }
                return list;
            },
            stop
        );

    private static async Task<PlanView> ConsentAsync(
        long number,
        ConsentRequest request,
        Store store,
        LiveHub live,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        if (string.IsNullOrWhiteSpace(request.Reason) || request.Reason.Length > 1_000)
            throw new ProblemException(
                400,
                "reason-missing",
                "A consent needs a reason of at most 1,000 characters.",
                "Say why this hazard is acceptable."
            );
        var view = await store.WriteAsync(
            async db =>
            {
                var plan = await FindAsync(db, number, stop);
                var body = Column.Read(plan.Body, ModelJson.Default.PlanBody);
                var found = body.Hazards.Where(h => h.Code == request.Hazard).ToList();
                if (found.Count == 0)
                    throw new ProblemException(
                        404,
                        "hazard-unknown",
                        $"Plan {number} has no hazard {request.Hazard}.",
                        $"It has {string.Join(", ", body.Hazards.Select(h => h.Code).Distinct().DefaultIfEmpty("none"))}."
                    );
                if (found.All(h => h.Severity != Severity.Consent))
                    throw ProblemException.Conflict(
                        "consent-not-possible",
                        $"The hazard {request.Hazard} is {found[0].Severity.Word()}: nobody can accept it.",
                        found[0].Remedy
                    );
                db.Consents.Add(
                    new ConsentRow
                    {
                        Id = Guid.CreateVersion7(),
                        Plan = number,
                        Digest = plan.Digest,
                        Hazard = request.Hazard,
                        Reason = request.Reason,
                        By = context.Who(),
                        At = time.GetUtcNow(),
                    }
                );
                db.Record(
                    time.GetUtcNow(),
                    context.Who(),
                    "consent given",
                    $"plan {number}",
                    null,
                    $"{request.Hazard}: {request.Reason}"
                );
                await db.SaveChangesAsync(stop);
                return await ViewAsync(db, plan, stop);
            },
            stop
        );
        live.Say("plan", number);
        return view;
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
        var overtaken = madeNow || runs.Count > 0 ? [] : await OvertakenAsync(db, body, stop);
        return new PlanView(
            row.Number,
            body.Title,
            row.Digest,
            row.MadeAt,
            row.MadeBy,
            body.Machines,
            body.Relocations,
            body.Hazards,
            body.Calendar,
            body.Hours,
            body.Keep,
            consents,
            await ConsentsWantedAsync(db, row, body, stop),
            overtaken,
            runs
        );
    }
}
