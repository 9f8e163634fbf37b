using Furlough.Model;
using Furlough.Planning.Briefs;

namespace Furlough.Planning.Plans;

/// <summary>
/// Puts machines into waves. The first of several waves is the pilot: its machines differ from each other as much as
/// can be, so that what goes wrong anywhere is likely to go wrong there.
/// </summary>
internal static class Waves
{
    /// <summary>More machines than this are not chosen for being different.</summary>
    private const int MostDifferent = 50;

    internal static Dictionary<Guid, string> Assign(IReadOnlyList<WaveRule> rules, IReadOnlyList<FleetMachine> machines)
    {
        Dictionary<Guid, string> waves = [];
        List<FleetMachine> left = [.. machines];
        foreach (var (rule, first) in rules.Select((r, i) => (r, i == 0 && rules.Count > 1)))
        {
            var size = Math.Min(
                left.Count,
                rule.Machines ?? (rule.Share is { } share ? (int)Math.Ceiling(share * machines.Count) : left.Count)
            );
            var chosen = first ? MostUnlike(left, Math.Min(size, MostDifferent)) : [];
            chosen.AddRange(left.Except(chosen).Take(size - chosen.Count));
            foreach (var machine in chosen)
                waves[machine.Id] = rule.Name;
            left = [.. left.Where(m => !waves.ContainsKey(m.Id))];
        }
        return waves;
    }

    /// <summary>
    /// The machine that shares most with all others first; then, one after the other, the one that is least like any
    /// that was taken: farthest-first traversal (Gonzalez 1985) by Jaccard distance of their traits. Of several alike
    /// the first by name.
    /// </summary>
    private static List<FleetMachine> MostUnlike(List<FleetMachine> machines, int count)
    {
        if (count == 0)
            return [];
        var traits = machines.ConvertAll(m => TraitsOf(m).ToHashSet(StringComparer.Ordinal));
        var common = traits.SelectMany(t => t).CountBy(t => t).ToDictionary();
        var taken = new List<int>
        {
            Enumerable
                .Range(0, machines.Count)
                .MaxBy(i => traits[i].Sum(t => common[t]) / (double)Math.Max(1, traits[i].Count)),
        };
        var nearest = traits.ConvertAll(t => Distance(t, traits[taken[0]]));
        while (taken.Count < count)
        {
            var next = Enumerable.Range(0, machines.Count).Except(taken).MaxBy(i => nearest[i]);
            taken.Add(next);
            for (var i = 0; i < traits.Count; i++)
                nearest[i] = Math.Min(nearest[i], Distance(traits[i], traits[next]));
        }
        return taken.ConvertAll(i => machines[i]);
    }

    /// <summary>What a relocation may meet on a machine, in words.</summary>
    private static IEnumerable<string> TraitsOf(FleetMachine machine)
    {
        yield return $"room {machine.Room}";
        yield return $"tag {machine.Tag}";
        if (machine.Survey is not { } survey)
            yield break;
        yield return $"system {survey.OperatingSystem}";
        yield return $"accounts {survey.Accounts.Count}";
        yield return $"data {Magnitude(survey.Holdings.Sum(h => h.DataBytes))}";
        yield return $"files {Magnitude(survey.Holdings.Sum(h => h.Files))}";
        foreach (var volume in survey.Volumes)
        {
            yield return $"volume {volume.System} {volume.Attached} {volume.Medium} {volume.FileSystem}";
            yield return $"size {volume.System} {Magnitude(volume.SizeBytes)}";
        }
        foreach (var demand in survey.Holdings.SelectMany(h => h.Demands.Found))
            yield return $"demand {demand.Kind}";
        if (survey.SyncFolders.Count > 0)
            yield return "sync";
    }

    private static int Magnitude(long n) => n <= 0 ? 0 : (int)Math.Log2(n);

    private static double Distance(HashSet<string> a, HashSet<string> b)
    {
        var both = a.Count(b.Contains);
        return 1 - both / (double)Math.Max(1, a.Count + b.Count - both);
    }
}
