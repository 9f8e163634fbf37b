using Furlough.Model;
using Furlough.Planning.Plans;
using Furlough.Protocol.Api;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Plans;

/// <summary>Whether a plan can be carried out as it is.</summary>
internal static class PlanState
{
    /// <summary>A plan as it is stored.</summary>
    internal static PlanRow NewRow(PlanBody body, string digest, string who, DateTimeOffset now)
    {
        var going = body.Relocations.Where(r => r.Blocked.Count == 0).ToList();
        return new PlanRow
        {
            Digest = digest,
            MadeAt = now,
            MadeBy = who,
            Body = Column.Write(body, ModelJson.Default.PlanBody),
            Title = body.Title,
            Machines = body.Machines.Count,
            Relocations = going.Count,
            DataBytes = going.Sum(r => r.DataBytes),
            Blocked = body.Relocations.Count - going.Count,
            Asks = Column.WriteNames(Asks(body)),
        };
    }

    /// <summary>Codes of the hazards that somebody must accept.</summary>
    private static IEnumerable<string> Asks(PlanBody body) =>
        body.Hazards.Where(h => h.Severity == Severity.Consent).Select(h => h.Code).Distinct();

    /// <summary>Codes of hazards that nobody has accepted yet.</summary>
    internal static async Task<IReadOnlyList<string>> ConsentsWantedAsync(
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
        return [.. Asks(body).Except(given).Order(StringComparer.Ordinal)];
    }

    /// <summary>What has changed on the machines since the plan was made, as far as it matters to the plan.</summary>
    internal static async Task<IReadOnlyList<string>> OvertakenAsync(
        FurloughDb db,
        PlanBody body,
        CancellationToken stop
    )
    {
        List<string> changes = [];
        foreach (var group in body.Relocations.Where(r => r.Blocked.Count == 0).GroupBy(r => r.Machine))
        {
            if (
                await db.Machines.FindAsync([group.Key], stop) is not { } machine
                || await Surveys.OfAsync(db, machine.Id, stop) is not { } survey
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

    /// <summary>The machines are still as the plan knows them.</summary>
    internal static async Task RequireNotOvertakenAsync(FurloughDb db, long plan, PlanBody body, CancellationToken stop)
    {
        var changes = await OvertakenAsync(db, body, stop);
        if (changes.Count > 0)
            throw RefusedException.Conflict(
                "plan-overtaken",
                $"Plan {plan} is out of date: {changes[0]}",
                "Make a new plan from the same brief.",
                changes
            );
    }
}
