using Furlough.Model;

namespace Furlough.Planning.Plans;

/// <summary>What differs between two plans, the second seen from the first.</summary>
public static class PlanDifference
{
    /// <summary>Sizes that differ by less than this share are the same.</summary>
    private const double Noticed = 0.01;

    /// <summary>The differences: machines and relocations that came, went or changed, and hazards by code.</summary>
    public static PlanChanges Between(PlanBody from, PlanBody to)
    {
        var (before, after) = (from.Relocations.ToDictionary(Key), to.Relocations.ToDictionary(Key));
        List<RelocationDifference> changed = [];
        foreach (var (key, now) in after)
            if (before.TryGetValue(key, out var was) && Changes(was, now).ToList() is { Count: > 0 } changes)
                changed.Add(new RelocationDifference(now.MachineName, now.Holding, changes));
        return new PlanChanges(
            [
                .. to
                    .Machines.Select(m => m.Name)
                    .Except(from.Machines.Select(m => m.Name))
                    .Order(StringComparer.Ordinal),
            ],
            [
                .. from
                    .Machines.Select(m => m.Name)
                    .Except(to.Machines.Select(m => m.Name))
                    .Order(StringComparer.Ordinal),
            ],
            [.. Only(after, before)],
            [.. Only(before, after)],
            [
                .. changed
                    .OrderBy(c => c.Machine, StringComparer.Ordinal)
                    .ThenBy(c => c.Holding.ToString(), StringComparer.Ordinal),
            ],
            [.. Hazards(from, to)],
            Totals(from),
            Totals(to)
        );
    }

    private static (Guid, HoldingName) Key(PlannedRelocation r) => (r.Machine, r.Holding);

    private static IEnumerable<RelocationDifference> Only(
        Dictionary<(Guid, HoldingName), PlannedRelocation> these,
        Dictionary<(Guid, HoldingName), PlannedRelocation> others
    ) =>
        these
            .Where(r => !others.ContainsKey(r.Key))
            .Select(r => r.Value)
            .OrderBy(r => r.MachineName, StringComparer.Ordinal)
            .ThenBy(r => r.Sequence)
            .Select(r => new RelocationDifference(
                r.MachineName,
                r.Holding,
                [$"{r.SourceShown} to {r.TargetShown}, {Words.Size(r.DataBytes)}"]
            ));

    private static IEnumerable<string> Changes(PlannedRelocation was, PlannedRelocation now)
    {
        if (was.SourceShown != now.SourceShown)
            yield return $"source {now.SourceShown}, was {was.SourceShown}";
        if (was.TargetShown != now.TargetShown || was.TargetVolume != now.TargetVolume)
            yield return $"target {now.TargetShown}, was {was.TargetShown}";
        if (was.Method != now.Method)
            yield return $"method {now.Method.Word()}, was {was.Method.Word()}";
        if (was.Wave != now.Wave)
            yield return $"wave {now.Wave}, was {was.Wave}";
        if (Math.Abs(now.DataBytes - was.DataBytes) > Noticed * Math.Max(1, was.DataBytes))
            yield return $"size {Words.Size(now.DataBytes)}, was {Words.Size(was.DataBytes)}";
        if (was.Terms != now.Terms)
            yield return "its work treats the machine and its people otherwise";
        foreach (var code in now.Blocked.Except(was.Blocked))
            yield return $"now blocked by {code}";
        foreach (var code in was.Blocked.Except(now.Blocked))
            yield return $"no longer blocked by {code}";
    }

    private static IEnumerable<HazardDifference> Hazards(PlanBody from, PlanBody to) =>
        from
            .Hazards.Concat(to.Hazards)
            .Select(h => (h.Severity, h.Code))
            .Distinct()
            .OrderBy(h => h.Severity)
            .ThenBy(h => h.Code, StringComparer.Ordinal)
            .Select(h => new HazardDifference(
                h.Code,
                h.Severity,
                from.Hazards.Count(x => (x.Severity, x.Code) == h),
                to.Hazards.Count(x => (x.Severity, x.Code) == h)
            ))
            .Where(h => h.Before != h.After);

    private static PlanTotals Totals(PlanBody plan)
    {
        var going = plan.Relocations.Where(r => r.Blocked.Count == 0).ToList();
        return new PlanTotals(
            going.Select(r => r.Machine).Distinct().Count(),
            going.Count,
            going.Sum(r => r.DataBytes),
            Span.Sum(plan.Machines.Select(m => m.Outage))
        );
    }
}
