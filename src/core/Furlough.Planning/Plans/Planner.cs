using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Hazards;

namespace Furlough.Planning.Plans;

/// <summary>Works a brief out against surveys. The same brief and surveys give the same plan.</summary>
public static class Planner
{
    /// <summary>Makes a plan.</summary>
    /// <param name="experience">What the fleet's relocations have shown.</param>
    /// <param name="now">Surveys are as old as they are at this moment.</param>
    public static PlanBody Make(Brief brief, IEnumerable<FleetMachine> fleet, Experience experience, DateTimeOffset now)
    {
        var chosen = fleet.Where(m => brief.Machines.Includes(m.Name, m.Room, m.Survey)).OrderBy(m => m.Name, StringComparer.Ordinal).ToList();
        var waves = Waves.Assign(brief.Waves, chosen);
        List<PlannedMachine> machines = [];
        List<PlannedRelocation> relocations = [];
        List<Hazard> hazards = [];
        var planned = chosen.AsParallel().AsOrdered().Select(m => (Machine: m, Wave: waves[m.Id], Plan: new MachinePlanning(brief, m, waves[m.Id], experience, now).Plan()));
        foreach (var (machine, wave, (own, volumes, found)) in planned)
        {
            var going = own.Where(r => r.Blocked.Count == 0).ToList();
            machines.Add(new PlannedMachine(machine.Id, machine.Name, machine.Room, going.Count, going.Sum(r => r.DataBytes), wave, volumes,
                Span.Sum(going.Select(r => r.Forecast?.Work ?? Span.None)), Span.Sum(going.Select(r => r.Forecast?.Outage ?? Span.None))));
            relocations.AddRange(own);
            hazards.AddRange(found);
        }
        return new PlanBody(brief.Title, brief.Text, brief.Keep, brief.HaltAfter, [.. brief.Waves.Select(w => w.Name)], machines, relocations, hazards, [.. Calendar(brief.Waves, machines)]);
    }

    /// <summary>When each wave begins and how long it takes: a wave follows when the one before is done.</summary>
    private static IEnumerable<WaveForecast> Calendar(IReadOnlyList<WaveRule> waves, IReadOnlyList<PlannedMachine> machines)
    {
        var begins = TimeSpan.Zero;
        foreach (var wave in waves)
        {
            var own = machines.Where(m => m.Wave == wave.Name).ToList();
            var slowest = own.Where(m => m.Relocations > 0).MaxBy(m => m.Work.Likely);
            var takes = new Span(slowest?.Work.Likely ?? TimeSpan.Zero, own.Select(m => m.Work.High).DefaultIfEmpty().Max());
            yield return new WaveForecast(wave.Name, own.Count, own.Sum(m => m.Relocations), own.Sum(m => m.DataBytes), begins, takes, slowest?.Name);
            begins += takes.Likely;
        }
    }

    /// <summary>The digest of a plan: SHA-256 of its JSON, the first 16 hexadecimal digits.</summary>
    public static string Digest(PlanBody plan)
    {
        using var sha = SHA256.Create();
        using (var stream = new CryptoStream(Stream.Null, sha, CryptoStreamMode.Write)) JsonSerializer.Serialize(stream, plan, ModelJson.Default.PlanBody);
        return Convert.ToHexStringLower(sha.Hash!)[..16];
    }
}

/// <summary>Puts machines into waves, in the sequence of their names.</summary>
internal static class Waves
{
    internal static Dictionary<Guid, string> Assign(IReadOnlyList<WaveRule> rules, IReadOnlyList<FleetMachine> machines)
    {
        Dictionary<Guid, string> waves = [];
        var at = 0;
        foreach (var rule in rules)
        {
            var size = rule.Machines ?? (rule.Share is { } share ? (int)Math.Ceiling(share * machines.Count) : machines.Count);
            for (var end = Math.Min(machines.Count, at + size); at < end; at++) waves[machines[at].Id] = rule.Name;
        }
        return waves;
    }
}
