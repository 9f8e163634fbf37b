using System.Security.Cryptography;
using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.DeskNotices;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Hazards;

namespace Furlough.Planning.Plans;

/// <summary>Works a brief out against surveys. The same brief and surveys give the same plan.</summary>
public static class Planner
{
    private const int HoursShown = 3,
        PieceOf = 500;

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
        var planned = chosen
            .AsParallel()
            .AsOrdered()
            .Select(m =>
                (
                    Machine: m,
                    Wave: waves[m.Id],
                    Plan: new MachinePlanning(brief, m, waves[m.Id], experience, hours, now).Plan()
                )
            );
        foreach (var (machine, wave, (own, volumes, found)) in planned)
        {
            var going = own.Where(r => r.Blocked.Count == 0).ToList();
            machines.Add(
                new PlannedMachine(
                    machine.Id,
                    machine.Name,
                    machine.Room,
                    going.Count,
                    going.Sum(r => r.DataBytes),
                    wave,
                    volumes,
                    Span.Sum(going.Select(r => r.Forecast?.Work ?? Span.None)),
                    Span.Sum(going.Select(r => r.Forecast?.Outage ?? Span.None))
                )
            );
            relocations.AddRange(brief.Work.Telling is { } telling ? Told(own, telling) : own);
            hazards.AddRange(found);
        }
        var halt = brief.HaltAfterShare is { } share
            ? Math.Max(1, (int)Math.Ceiling(share * relocations.Count(r => r.Blocked.Count == 0)))
            : brief.HaltAfter;
        return new PlanBody(
            brief.Title,
            brief.Text,
            brief.Keep,
            halt,
            [.. brief.Waves.Select(w => w.Name)],
            machines,
            relocations,
            hazards,
            [.. Calendar(brief.Waves, brief.AtOnce, machines, relocations, hours, now)],
            [.. (open ?? []).Take(HoursShown)]
        )
        {
            WantsApproval = brief.WantsApproval,
            AtOnce = brief.AtOnce,
        };
    }

    /// <summary>Relocations of a machine with what their accounts are shown, each for all of its own.</summary>
    private static IEnumerable<PlannedRelocation> Told(IReadOnlyList<PlannedRelocation> relocations, Telling telling)
    {
        var words = relocations
            .Where(r => r is { Blocked.Count: 0, Terms.Telling: not null })
            .GroupBy(r => r.Holding.Account)
            .ToDictionary(g => g.Key, g => DeskNotice.AtTheMachine([.. g], telling));
        return relocations.Select(r =>
            r.Terms.Telling is null ? r : r with { Told = words.GetValueOrDefault(r.Holding.Account) }
        );
    }

    /// <summary>
    /// When each wave begins and how long it takes, in a run begun now: a wave follows when the one before is done, and
    /// all work lies within the allowed hours.
    /// </summary>
    private static IEnumerable<WaveForecast> Calendar(
        IReadOnlyList<WaveRule> waves,
        AtOnce atOnce,
        IReadOnlyList<PlannedMachine> machines,
        IReadOnlyList<PlannedRelocation> relocations,
        HoursOutlook hours,
        DateTimeOffset now
    )
    {
        var works = relocations.Where(r => r is { Blocked.Count: 0, Forecast: not null }).ToLookup(r => r.Machine);
        var begins = TimeSpan.Zero;
        foreach (var wave in waves)
        {
            var own = machines.Where(m => m.Wave == wave.Name).ToList();
            var begun = now + begins;
            var going = own.Where(m => m.Relocations > 0)
                .OrderBy(m => m.Name, StringComparer.Ordinal)
                .Select(m => (m, MachineAtWork.On(m.Room, works[m.Machine])))
                .ToList();
            var times = Turns(going, atOnce, begun, (at, m) =>
                    hours.Done(
                        at,
                        works[m.Machine]
                            .Select(r =>
                                (
                                    r.Forecast!.Work.Likely - r.Forecast.Unbroken(r.Method).Likely,
                                    r.Forecast.Unbroken(r.Method).Likely
                                )
                            )
                    )
                )
                .ConvertAll(t => (t.Machine, Likely: t.Done - begun));
            var slowest = times.Count == 0 ? null : times.MaxBy(t => t.Likely).Machine;
            var takes = new Span(
                times.Select(t => t.Likely).DefaultIfEmpty().Max(),
                times.Select(t => t.Likely + (t.Machine.Work.High - t.Machine.Work.Likely)).DefaultIfEmpty().Max()
            );
            yield return new WaveForecast(
                wave.Name,
                own.Count,
                own.Sum(m => m.Relocations),
                own.Sum(m => m.DataBytes),
                begins,
                takes,
                slowest?.Name
            );
            begins += takes.Likely;
        }
    }

    /// <summary>
    /// When each machine of a wave is done: in the order of their names, each begins as soon as fewer are at work than
    /// may be.
    /// </summary>
    private static List<(PlannedMachine Machine, DateTimeOffset Done)> Turns(
        List<(PlannedMachine Machine, MachineAtWork Work)> left,
        AtOnce atOnce,
        DateTimeOffset begun,
        Func<DateTimeOffset, PlannedMachine, DateTimeOffset> done
    )
    {
        List<(PlannedMachine Machine, DateTimeOffset Done)> turns = [];
        var busy = new PriorityQueue<MachineAtWork, DateTimeOffset>();
        for (var at = begun; left.Count > 0; )
        {
            var atWork = busy.UnorderedItems.Select(b => b.Element).ToList();
            var next = left.FindIndex(m => atOnce.Allows(atWork, m.Work));
            if (next < 0)
            {
                // Someone has to be done first; there is one, for limits are at least 1.
                busy.TryDequeue(out _, out at);
                continue;
            }
            turns.Add((left[next].Machine, done(at, left[next].Machine)));
            if (atOnce != AtOnce.All)
                busy.Enqueue(left[next].Work, turns[^1].Done);
            left.RemoveAt(next);
        }
        return turns;
    }

    /// <summary>
    /// The digest of a plan, the first 16 hexadecimal digits: SHA-256 over the SHA-256 digests of its parts as JSON.
    /// The first part is the plan without machines, relocations and hazards; these follow in pieces of <see
    /// cref="PieceOf"/>, which are digested side by side.
    /// </summary>
    public static string Digest(PlanBody plan)
    {
        var bare = plan with { Machines = [], Relocations = [], Hazards = [] };
        var empty = bare with { Title = "", Brief = "", Waves = [], Calendar = [], Hours = [] };
        IEnumerable<PlanBody> parts =
        [
            bare,
            .. plan.Machines.Chunk(PieceOf).Select(m => empty with { Machines = m }),
            .. plan.Relocations.Chunk(PieceOf).Select(r => empty with { Relocations = r }),
            .. plan.Hazards.Chunk(PieceOf).Select(h => empty with { Hazards = h }),
        ];
        return Convert.ToHexStringLower(
            SHA256.HashData([
                .. parts
                    .AsParallel()
                    .AsOrdered()
                    .SelectMany(p =>
                        SHA256.HashData(JsonSerializer.SerializeToUtf8Bytes(p, ModelJson.Default.PlanBody))
                    ),
            ])
        )[..16];
    }
}
