using Furlough.Model;
using Furlough.Planning.Plans;
using Furlough.Planning.Reading;

namespace Furlough.Planning.Briefs;

/// <summary>What one line of a brief means for a fleet.</summary>
/// <param name="Line">From 1; 0 for the machines as a whole.</param>
/// <param name="Missed">What the line names and nothing is.</param>
public sealed record LineMatch(
    int Line,
    string What,
    int Machines,
    int Holdings,
    long DataBytes,
    IReadOnlyList<string> Missed
);

/// <summary>Says of every line of a brief what it means for a fleet, and what it misses.</summary>
public static class FleetMatch
{
    /// <summary>The machines, then the roles and items in the order of the brief.</summary>
    public static IReadOnlyList<LineMatch> Of(Brief brief, IReadOnlyList<FleetMachine> fleet)
    {
        var meant = fleet.Where(m => brief.Machines.Includes(m)).ToList();
        HashSet<(Guid, HoldingName)> taken = [];
        return
        [
            new LineMatch(
                0,
                "machines",
                meant.Count,
                meant.Sum(m => m.Survey?.Holdings.Count ?? 0),
                meant.Sum(m => m.Survey?.Holdings.Sum(m.Survey.OwnBytes) ?? 0),
                [.. Misses(brief.Machines, fleet)]
            ),
            .. brief.Volumes.Values.Where(r => !r.IsPersonal).Select(r => Role(r, meant)),
            .. brief.Relocate.Select(i => Item(i, meant, taken)),
        ];
    }

    private static LineMatch Role(VolumeRole role, List<FleetMachine> meant)
    {
        var without = meant
            .Where(m => m.Survey is { } survey && role.Choose(survey, new Dictionary<string, string>()) is null)
            .Select(m => m.Name)
            .ToList();
        return new LineMatch(
            role.Line,
            $"volume role {role.Name}",
            meant.Count(m => m.Survey is not null) - without.Count,
            0,
            0,
            without.Count == 0
                ? []
                :
                [
                    $"{Words.Count(without.Count, "machine has", "machines have")} no volume for the role "
                        + $"`{role.Name}`: {Words.Some(without, MostNames)}.",
                ]
        );
    }

    private static LineMatch Item(RelocateItem item, List<FleetMachine> meant, HashSet<(Guid, HoldingName)> taken)
    {
        var found = meant
            .Where(m => m.Survey is not null)
            .Select(m =>
                (Machine: m, Holdings: item.Of(m.Name, m.Survey!).Where(h => taken.Add((m.Id, h.Name))).ToList())
            )
            .ToList();

        return new LineMatch(
            item.Line,
            string.Join(", ", item.Named.Values.SelectMany(n => n)),
            found.Count(m => m.Holdings.Count > 0),
            found.Sum(m => m.Holdings.Count),
            found.Sum(m => m.Holdings.Sum(h => h.DataBytes)),
            Missed(item, meant, found.SelectMany(m => m.Holdings).Select(h => h.Name.Name).ToHashSet())
        );
    }

    private static List<string> Missed(RelocateItem item, List<FleetMachine> meant, HashSet<string> found)
    {
        List<string> missed = [];
        foreach (var folder in item.Named.Values.SelectMany(n => n).Where(f => !found.Contains(f)))
            missed.Add($"No {folder} is found for it.");
        foreach (
            var account in item.Accounts.Names.Where(a =>
                meant.All(m => m.Survey?.Accounts.All(x => x.Name != a) != false)
            )
        )
            missed.Add($"No machine has an account `{account}`.");
        foreach (var pattern in item.On.Where(p => !meant.Any(m => Pattern.Fits(p, m.Name))))
            missed.Add($"No machine that the brief means is called `{pattern}`.");
        return missed;
    }

    private const int MostNames = 8;

    private static IEnumerable<string> Misses(MachineChoice choice, IReadOnlyList<FleetMachine> fleet)
    {
        foreach (
            var room in choice.Rooms.Where(r =>
                !fleet.Any(m => string.Equals(m.Room, r, StringComparison.OrdinalIgnoreCase))
            )
        )
            yield return $"No machine stands in a room `{room}`.{Perhaps(room, fleet.Select(m => m.Room))}";
        foreach (
            var tag in choice.Tags.Where(r =>
                !fleet.Any(m => string.Equals(m.Tag, r, StringComparison.OrdinalIgnoreCase))
            )
        )
            yield return $"No machine has the tag `{tag}`.{Perhaps(tag, fleet.Select(m => m.Tag).OfType<string>())}";
        foreach (var pattern in choice.Names.Concat(choice.Except).Where(p => !fleet.Any(m => Pattern.Fits(p, m.Name))))
            yield return $"No machine is called `{pattern}`.";
        foreach (
            var pattern in choice.Systems.Where(p =>
                !fleet.Any(m => m.Survey is { } survey && Pattern.Fits(p, survey.OperatingSystem))
            )
        )
            yield return $"No machine has an operating system `{pattern}`.";
    }

    private static string Perhaps(string wanted, IEnumerable<string> known) =>
        Pattern.Nearest(wanted, known.Distinct()) is { } near ? $" Perhaps `{near}` is meant." : "";
}
