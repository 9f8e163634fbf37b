using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Hazards;

namespace Furlough.Planning.Plans;

/// <summary>Works a brief out against surveys. The same brief and surveys give the same plan.</summary>
public static class Planner
{
    /// <summary>Makes a plan.</summary>
    public static PlanBody Make(Brief brief, IEnumerable<FleetMachine> fleet)
    {
        var chosen = fleet.Where(m => brief.Machines.Includes(m.Name, m.Room)).OrderBy(m => m.Name, StringComparer.Ordinal).ToList();
        var waves = Waves.Assign(brief.Waves, chosen);
        List<PlannedMachine> machines = [];
        List<PlannedRelocation> relocations = [];
        List<Hazard> hazards = [];
        foreach (var machine in chosen)
        {
            var wave = waves[machine.Id];
            var (own, volumes, found) = new MachinePlanning(brief, machine, wave).Plan();
            machines.Add(new PlannedMachine(machine.Id, machine.Name, machine.Room, own.Count(r => r.Blocked.Count == 0), own.Where(r => r.Blocked.Count == 0).Sum(r => r.DataBytes), wave, volumes));
            relocations.AddRange(own);
            hazards.AddRange(found);
        }
        return new PlanBody(brief.Title, brief.Text, brief.Keep, brief.HaltAfter, [.. brief.Waves.Select(w => w.Name)], machines, relocations, hazards);
    }

    /// <summary>The digest of a plan: SHA-256 of its JSON, the first 16 hexadecimal digits.</summary>
    public static string Digest(PlanBody plan) => Convert.ToHexStringLower(SHA256.HashData(JsonSerializer.SerializeToUtf8Bytes(plan, ModelJson.Default.PlanBody)))[..16];
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
