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
    private const int HoursShown = 3, PieceOf = 500;

    /// <summary>Makes a plan.</summary>
    /// <param name="experience">What the fleet's relocations have shown.</param>
    /// <param name="now">Surveys are as old as they are at this moment.</param>
    public static PlanBody Make(Brief brief, IEnumerable<FleetMachine> fleet, Experience experience, DateTimeOffset now)
    {
        var chosen = fleet.Where(m => brief.Machines.Includes(m)).OrderBy(m => m.Name, StringComparer.Ordinal).ToList();
        var waves = Waves.Assign(brief.Waves, chosen);
        var open = brief.Hours?.After(now);
        var hours = new HoursOutlook(open);
        List<PlannedMachine> machines = [];
        List<PlannedRelocation> relocations = [];
        List<Hazard> hazards = [];
        var planned = chosen.AsParallel().AsOrdered().Select(m => (Machine: m, Wave: waves[m.Id], Plan: new MachinePlanning(brief, m, waves[m.Id], experience, hours, now).Plan()));
        foreach (var (machine, wave, (own, volumes, found)) in planned)
        {
            var going = own.Where(r => r.Blocked.Count == 0).ToList();
            machines.Add(new PlannedMachine(machine.Id, machine.Name, machine.Room, going.Count, going.Sum(r => r.DataBytes), wave, volumes,
                Span.Sum(going.Select(r => r.Forecast?.Work ?? Span.None)), Span.Sum(going.Select(r => r.Forecast?.Outage ?? Span.None))));
            relocations.AddRange(own);
            hazards.AddRange(found);
        }
        return new PlanBody(brief.Title, brief.Text, brief.Keep, brief.HaltAfter, [.. brief.Waves.Select(w => w.Name)], machines, relocations, hazards, [.. Calendar(brief.Waves, machines, relocations, hours, now)], [.. (open ?? []).Take(HoursShown)]);
    }

    /// <summary>When each wave begins and how long it takes, in a run begun now: a wave follows when the one before is done, and all work lies within the allowed hours.</summary>
    private static IEnumerable<WaveForecast> Calendar(IReadOnlyList<WaveRule> waves, IReadOnlyList<PlannedMachine> machines, IReadOnlyList<PlannedRelocation> relocations, HoursOutlook hours, DateTimeOffset now)
    {
        var works = relocations.Where(r => r is { Blocked.Count: 0, Forecast: not null }).ToLookup(r => r.Machine, r => (Resting: r.Forecast!.Work.Likely - r.Forecast.Unbroken(r.Method).Likely, Unbroken: r.Forecast.Unbroken(r.Method).Likely));
        var begins = TimeSpan.Zero;
        foreach (var wave in waves)
        {
            var own = machines.Where(m => m.Wave == wave.Name).ToList();
            var begun = now + begins;
            var times = own.Where(m => m.Relocations > 0).Select(m => (Machine: m, Likely: hours.Done(begun, works[m.Machine]) - begun)).ToList();
            var slowest = times.Count == 0 ? null : times.MaxBy(t => t.Likely).Machine;
            var takes = new Span(times.Select(t => t.Likely).DefaultIfEmpty().Max(), times.Select(t => t.Likely + (t.Machine.Work.High - t.Machine.Work.Likely)).DefaultIfEmpty().Max());
            yield return new WaveForecast(wave.Name, own.Count, own.Sum(m => m.Relocations), own.Sum(m => m.DataBytes), begins, takes, slowest?.Name);
            begins += takes.Likely;
        }
    }

    /// <summary>
    /// The digest of a plan, the first 16 hexadecimal digits: SHA-256 over the SHA-256 digests of its parts as JSON. The first part is the plan without
    /// machines, relocations and hazards; these follow in pieces of <see cref="PieceOf"/>, which are digested side by side.
    /// </summary>
    public static string Digest(PlanBody plan)
    {
        var bare = plan with { Machines = [], Relocations = [], Hazards = [] };
        var empty = bare with { Title = "", Brief = "", Waves = [], Calendar = [], Hours = [] };
        IEnumerable<PlanBody> parts =
        [
            bare, .. plan.Machines.Chunk(PieceOf).Select(m => empty with { Machines = m }), .. plan.Relocations.Chunk(PieceOf).Select(r => empty with { Relocations = r }), .. plan.Hazards.Chunk(PieceOf).Select(h => empty with { Hazards = h }),
        ];
        return Convert.ToHexStringLower(SHA256.HashData([.. parts.AsParallel().AsOrdered().SelectMany(p => SHA256.HashData(JsonSerializer.SerializeToUtf8Bytes(p, ModelJson.Default.PlanBody)))]))[..16];
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
