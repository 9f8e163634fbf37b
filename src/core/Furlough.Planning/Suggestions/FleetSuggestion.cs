using System.Globalization;
using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Hazards;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Suggestions;

/// <summary>What someone wants of the system volumes.</summary>
/// <param name="GainBytes">So much more is to be free than now; null when <paramref name="Until"/> is given.</param>
/// <param name="Until">So much is to be free at the end.</param>
/// <param name="Reserve">What is to be left free on the targets.</param>
public sealed record SpaceWish(
    MachineChoice Machines,
    long? GainBytes,
    ReserveAmount? Until,
    ReserveAmount Reserve,
    Weights Weights
);

/// <summary>A holding that is suggested to be relocated.</summary>
public sealed record SuggestedMove(
    HoldingName Holding,
    long FreesBytes,
    string Target,
    Span Work,
    Span Outage,
    double Disturbance
);

/// <summary>What is suggested for one machine.</summary>
/// <param name="WantedBytes">What is to be freed; 0 when enough is free.</param>
/// <param name="NextBest">Names of the holdings of the next best choice; empty where there is none.</param>
/// <param name="Why">A sentence: why this choice, or why the goal cannot be reached.</param>
public sealed record MachineSuggestion(
    string Machine,
    string Room,
    long WantedBytes,
    long FreesBytes,
    double Disturbance,
    bool Reached,
    double? Gap,
    IReadOnlyList<SuggestedMove> Moves,
    IReadOnlyList<string> NextBest,
    double? NextBestDisturbance,
    string Why
);

/// <summary>
/// Suggests what to relocate on each machine, with the least disturbance, and writes it down as a brief.
/// </summary>
public sealed class FleetSuggestion(SpaceWish wish, Experience experience)
{
    private const string Role = "roomy",
        Path = "People/{account}/{folder}";
    private const Method How = Method.Warm;

    /// <summary>Suggestions for every machine that is meant and surveyed, in the order of their names.</summary>
    public IReadOnlyList<MachineSuggestion> Of(IEnumerable<FleetMachine> fleet) =>
        [
            .. fleet
                .Where(m => m.Survey is not null && wish.Machines.Includes(m))
                .OrderBy(m => m.Name, StringComparer.Ordinal)
                .Select(One),
        ];

    /// <summary>The brief that asks for what is suggested; null when nothing is.</summary>
    public static string? Brief(string title, SpaceWish wish, IReadOnlyList<MachineSuggestion> suggestions)
    {
        // Machines with the same holdings of the same accounts share an item.
        var pairs = suggestions.SelectMany(s => s.Moves.Select(m => (s.Machine, m.Holding))).ToList();
        if (pairs.Count == 0)
            return null;
        var byHolding = pairs
            .GroupBy(p => p.Holding)
            .Select(g => (Holding: g.Key, On: string.Join(", ", g.Select(p => p.Machine).Distinct())));
        var byAccount = byHolding
            .GroupBy(h => (h.Holding.Account, h.Holding.Kind, h.On))
            .Select(g =>
                (
                    g.Key.Account,
                    g.Key.On,
                    Named: $"{(g.Key.Kind == HoldingKind.Folder ? "folders" : "libraries")}: "
                        + $"[{string.Join(", ", g.Select(h => h.Holding.Name).Order(StringComparer.Ordinal))}]"
                )
            );
        var items = byAccount
            .GroupBy(a => (a.On, a.Named))
            .OrderBy(g => g.Key.On, StringComparer.Ordinal)
            .Select(g =>
                $"  - {g.Key.Named}\n    accounts: "
                + $"[{string.Join(", ", g.Select(a => a.Account).Order(StringComparer.Ordinal))}]\n    on: "
                + $"[{g.Key.On}]\n    onto: {Role}\n    path: {Path}\n    method: {How.Word()}\n"
            );
        return $"furlough-brief: 1\ntitle: {title}\nmachines:\n  names: "
            + $"[{string.Join(", ", suggestions.Where(s => s.Moves.Count > 0).Select(s => s.Machine))}]\n"
            + $"volumes:\n  {Role}: {{attached: internal, system: false, prefer: "
            + $"roomiest}}\nrelocate:\n{string.Concat(items)}keep-original: 7 days\nreserve: {{others: "
            + $"{Spelled(wish.Reserve)}}}\n";
    }

    private MachineSuggestion One(FleetMachine machine)
    {
        var survey = machine.Survey!;
        if (survey.Volumes.FirstOrDefault(v => v.System) is not { } system)
            return new MachineSuggestion(
                machine.Name,
                machine.Room,
                0,
                0,
                0,
                false,
                0,
                [],
                [],
                null,
                "Its survey names no system volume."
            );
        var wanted = wish.GainBytes ?? Math.Max(0, wish.Until!.Of(system.SizeBytes) - system.FreeBytes);
        if (wanted == 0)
            return new MachineSuggestion(
                machine.Name,
                machine.Room,
                0,
                0,
                0,
                true,
                0,
                [],
                [],
                null,
                $"{Words.Size(system.FreeBytes)} are free already."
            );
        var targets = survey
            .Volumes.Where(v =>
                v is { System: false, Writable: true, Attached: Attachment.Internal } && v.Identity.Key.Length > 0
            )
            .ToList();
        var looked = survey
            .Holdings.Where(h =>
                h.Name.Kind is HoldingKind.Folder or HoldingKind.Library
                && h.Present
                && h.Place?.Volume == system.Identity.Key
                && survey.Accounts.FirstOrDefault(a => a.Name == h.Name.Account) is { Fallback: false }
            )
            .Select(h => Look(machine, survey, system, targets, h))
            .ToList();
        var question = new Question(
            wanted,
            [.. looked.Select(l => l.Candidate)],
            [.. targets.Select(t => Math.Max(0, t.FreeBytes - wish.Reserve.Of(t.SizeBytes)))],
            wish.Weights.Person
        );
        var answer = Suggester.Solve(question);
        var moves = answer.Best?.Chosen.Select(c => Move(looked[c.Candidate], c.Way, targets)).ToList() ?? [];
        return new MachineSuggestion(
            machine.Name,
            machine.Room,
            wanted,
            answer.Best?.FreesBytes ?? 0,
            answer.Best?.Disturbance ?? 0,
            answer.Reached,
            answer.Gap,
            moves,
            [.. answer.NextBest?.Chosen.Select(c => question.Candidates[c.Candidate].Holding.ToString()) ?? []],
            answer.NextBest?.Disturbance,
            Why(answer, wanted, looked, targets)
        );
    }

    private sealed record Looked(
        Candidate Candidate,
        IReadOnlyList<RelocationForecast> Forecasts,
        IReadOnlyList<string> Blocked
    );

    private Looked Look(
        FleetMachine machine,
        Survey survey,
        VolumeFacts system,
        List<VolumeFacts> targets,
        HoldingFacts holding
    )
    {
        var account = survey.Accounts.First(a => a.Name == holding.Name.Account);
        var place = Path.Replace("{account}", holding.Name.Account, StringComparison.Ordinal)
            .Replace("{folder}", holding.Name.Name, StringComparison.Ordinal);
        var free = survey.Volumes.ToDictionary(v => v.Identity.Key, v => v.FreeBytes);
        List<Way> ways = [];
        List<RelocationForecast> forecasts = [];
        List<string> blocked = [];
        for (var t = 0; t < targets.Count; t++)
        {
            var context = new HazardContext(
                Plain,
                Plain.Relocate[0],
                machine,
                survey,
                account,
                holding,
                system,
                targets[t],
                new Place(targets[t].Identity.Key, place),
                How,
                null,
                free,
                []
            );
            var hazards = HazardCatalogue.OfRelocations.Select(h => h.Check(context)).OfType<Hazard>().ToList();
            if (hazards.FirstOrDefault(h => h.Severity == Severity.Blocking) is { } blocking)
            {
                blocked.Add(blocking.Code);
                continue;
            }
            var forecast = experience.Of(
                How,
                machine.Room,
                machine.Id,
                system,
                targets[t],
                holding.DataBytes,
                holding.Files
            );
            var disturbance =
                wish.Weights.Outage * forecast.Outage.Likely.TotalMinutes
                + wish.Weights.Work * forecast.Work.Likely.TotalMinutes
                + hazards.Sum(h => h.Severity == Severity.Consent ? wish.Weights.Consent : wish.Weights.Advice);
            ways.Add(new Way(t, context.NeededBytes, disturbance));
            forecasts.Add(forecast);
        }
        return new Looked(new Candidate(holding.Name, holding.DataBytes, ways), forecasts, blocked);
    }

    private static SuggestedMove Move(Looked looked, int way, List<VolumeFacts> targets)
    {
        var (candidate, chosen, forecast) = (looked.Candidate, looked.Candidate.Ways[way], looked.Forecasts[way]);
        return new SuggestedMove(
            candidate.Holding,
            candidate.FreesBytes,
            targets[chosen.Target].Root,
            forecast.Work,
            forecast.Outage,
            chosen.Disturbance
        );
    }

    private static string Why(Answer answer, long wanted, List<Looked> looked, List<VolumeFacts> targets)
    {
        if (targets.Count == 0)
            return "It has no second internal volume.";
        if (!answer.Reached)
        {
            var possible = looked.Where(l => l.Candidate.Ways.Count > 0).Sum(l => l.Candidate.FreesBytes);
            var barred = looked
                .SelectMany(l => l.Blocked)
                .GroupBy(b => b)
                .OrderByDescending(g => g.Count())
                .Select(g => g.Key)
                .FirstOrDefault();
            return possible < wanted
                ? $"Its holdings that can be relocated are {Words.Size(possible)}, and {Words.Size(wanted)} are "
                    + $"wanted{(barred is null ? "" : $"; others are blocked ({barred})")}."
                : $"{Words.Size(wanted)} are wanted, and the other volumes have no room for so much above their reserve.";
        }
        var people = answer.Best!.Chosen.Select(c => looked[c.Candidate].Candidate.Holding.Account).Distinct().Count();
        var ratio = answer.NextBest is { } second ? second.Disturbance / Math.Max(0.01, answer.Best.Disturbance) : 0;
        var next = ratio switch
        {
            0 => "",
            < 1.05 => "; the next best disturbs about as much",
            _ => string.Create(CultureInfo.InvariantCulture, $"; the next best disturbs {ratio:0.0} times as much"),
        };
        return $"It touches {Words.Count(people, "account")}{next}.";
    }

    private static string Spelled(ReserveAmount amount) =>
        amount.AmountBytes is { } bytes
            ? string.Create(CultureInfo.InvariantCulture, $"{bytes / 1e9:0.###} GB")
            : string.Create(CultureInfo.InvariantCulture, $"{100 * amount.Share!.Value:0.##}%");

    /// <summary>
    /// The brief that hazards are asked with; only its reserves matter to them, and the question itself sees to those.
    /// </summary>
    private static Brief Plain { get; } =
        new(
            "",
            new MachineChoice([], [], []),
            new Dictionary<string, VolumeRole>
            {
                [Role] = new(Role, [Attachment.Internal], false, null, Preference.Roomiest),
            },
            [
                new RelocateItem(
                    new Dictionary<HoldingKind, IReadOnlyList<string>>(),
                    new AccountChoice([], true),
                    Role,
                    Template.Parse(Path),
                    How,
                    false,
                    []
                ),
            ],
            TimeSpan.FromDays(7),
            ReserveAmount.None,
            ReserveAmount.None,
            [],
            null,
            WorkRules.Usual,
            ""
        );
}
