using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>How much a hazard or finding matters.</summary>
[JsonConverter(typeof(WordConverter<Severity>))]
public enum Severity
{
    Blocking,
    Consent,
    Advice,
}

/// <summary>Something a plan found. <paramref name="Holding"/> is null when it concerns the whole machine.</summary>
public sealed record Hazard(
    string Code,
    Severity Severity,
    string Machine,
    string? Account,
    string? Holding,
    string Text,
    string Remedy
);

/// <summary>Something an audit found.</summary>
public sealed record Finding(
    string Code,
    Severity Severity,
    string Machine,
    string? Account,
    string? Holding,
    string Text,
    string Remedy
);

/// <summary>One end of a relocation.</summary>
/// <param name="Volume">The volume on which the place is, by which the agent recognises it.</param>
public sealed record Site(Place Place, VolumeIdentity Volume);

/// <summary>One relocation as planned, in the order in which its machine will carry it out.</summary>
public sealed record PlannedRelocation
{
    public required int Sequence { get; init; }

    public required Guid Machine { get; init; }

    public required string MachineName { get; init; }

    public required string Room { get; init; }

    public required HoldingName Holding { get; init; }

    public required string AccountId { get; init; }

    public required Method Method { get; init; }

    /// <summary>Where the holding lives; null where its settings lead nowhere known, which blocks it.</summary>
    public required Place? Source { get; init; }

    /// <summary>Where it is to live; null where no volume is as the brief wants it, which blocks it.</summary>
    public required Place? Target { get; init; }

    public required string SourceShown { get; init; }

    public required string TargetShown { get; init; }

    public required VolumeIdentity? SourceVolume { get; init; }

    public required VolumeIdentity? TargetVolume { get; init; }

    public required int? OwnedFrom { get; init; }

    public required IReadOnlyList<PointerFacts> Pointers { get; init; }

    public required long Files { get; init; }

    public required long DataBytes { get; init; }

    public required string Wave { get; init; }

    /// <summary>The codes of the blocking hazards that keep it from being carried out.</summary>
    public required IReadOnlyList<string> Blocked { get; init; }

    /// <summary>How its work treats the machine and its people.</summary>
    public required Terms Terms { get; init; }

    public Adoption? Adoption { get; init; }

    /// <summary>How long it will take; null where nothing can be said, because its volumes are unknown.</summary>
    public RelocationForecast? Forecast { get; init; }

    /// <summary>A link to the target stays at the source, for programs that know only the old path.</summary>
    public bool LeavesLink { get; init; }

    /// <summary>How long its original is kept at least; null: as long as the plan says.</summary>
    public TimeSpan? Keep { get; init; }

    /// <summary>It waits until someone has been there, or has done what it wants beforehand.</summary>
    public bool Attended { get; init; }

    /// <summary>The program whose holding it is; null where nothing is to be done about one.</summary>
    public OwnProgram? Program { get; init; }

    /// <summary>Where it comes from, of one that can be carried out.</summary>
    /// <exception cref="InvalidOperationException">That is not known, and it is blocked.</exception>
    [JsonIgnore]
    public Site From => SiteOf(Source, SourceVolume);

    /// <summary>Where it goes to, of one that can be carried out.</summary>
    /// <exception cref="InvalidOperationException">That is not known, and it is blocked.</exception>
    [JsonIgnore]
    public Site To => SiteOf(Target, TargetVolume);

    /// <summary>Where its data is before anything was done, half a sentence.</summary>
    [JsonIgnore]
    public string LivesInWords =>
        Program is { FirstStart.Count: > 0 } && Files == 0 && Pointers.All(p => p.Value.Text is null)
            ? $"its program makes it at `{SourceShown}`"
            : $"{Method.Lives()} its source, `{SourceShown}`";

    /// <summary>
    /// What its account is shown before it is locked out, for all its relocations of the plan; null: nothing.
    /// </summary>
    public ToldText? Told { get; init; }

    /// <summary>What people have to do before it begins.</summary>
    public IReadOnlyList<ErrandKind> Beforehand { get; init; } = [];

    /// <summary>What people have to do after it.</summary>
    public IReadOnlyList<ErrandKind> Afterwards { get; init; } = [];

    private Site SiteOf(Place? place, VolumeIdentity? volume) =>
        place is not null && volume is not null
            ? new Site(place, volume)
            : throw new InvalidOperationException($"{Holding} is blocked: one of its places is not known.");
}

/// <summary>
/// One volume of a machine through the plan: free now, and at the lowest point while originals are kept.
/// </summary>
/// <param name="Timeline">Its free space after every change; begins with now.</param>
public sealed record PlannedVolume(
    string Volume,
    string Root,
    bool System,
    long SizeBytes,
    long FreeBytes,
    long LowestFreeBytes,
    long FreeAfterDiscardBytes,
    long ReserveBytes,
    IReadOnlyList<SpacePoint> Timeline
);

/// <summary>What a plan has for one machine.</summary>
/// <param name="Work">How long its relocations take, one after the other.</param>
/// <param name="Outage">How long accounts of it are locked out, in total.</param>
public sealed record PlannedMachine(
    Guid Machine,
    string Name,
    string Room,
    int Relocations,
    long DataBytes,
    string Wave,
    IReadOnlyList<PlannedVolume> Volumes,
    Span Work,
    Span Outage
);

/// <summary>What a wave will take: its machines work side by side, so it takes as long as the slowest.</summary>
/// <param name="Begins">Likely time from the run's start to this wave's.</param>
/// <param name="Slowest">The machine that takes longest; null for a wave without work.</param>
public sealed record WaveForecast(
    string Wave,
    int Machines,
    int Relocations,
    long DataBytes,
    TimeSpan Begins,
    Span Takes,
    string? Slowest
);

/// <summary>How many machines are worked on at once.</summary>
/// <param name="Machines">Of a run; null for all.</param>
/// <param name="PerRoom">Of a room; null for all.</param>
/// <param name="PerVolume">Of those that share a volume, such as a server's; null for all.</param>
public sealed record AtOnce(int? Machines, int? PerRoom, int? PerVolume)
{
    /// <summary>All of a wave.</summary>
    public static AtOnce All { get; } = new(null, null, null);

    /// <summary>Whether one more may begin beside others.</summary>
    public bool Allows(IReadOnlyCollection<MachineAtWork> busy, MachineAtWork next) =>
        !(busy.Count >= Machines)
        && !(busy.Count(b => b.Room == next.Room) >= PerRoom)
        && !next.Volumes.Any(v => busy.Count(b => b.Volumes.Contains(v)) >= PerVolume);
}

/// <summary>A machine that is worked on.</summary>
/// <param name="Volumes">Between which its relocations go.</param>
public sealed record MachineAtWork(string Room, IReadOnlySet<string> Volumes)
{
    /// <summary>A machine with these relocations.</summary>
    public static MachineAtWork On(string room, IEnumerable<PlannedRelocation> relocations) =>
        new(
            room,
            relocations
                .SelectMany(r => (Place?[])[r.Source, r.Target])
                .OfType<Place>()
                .Select(p => p.Volume)
                .ToHashSet()
        );
}

/// <summary>A brief worked out against surveys.</summary>
/// <param name="Keep">How long originals are kept at least.</param>
/// <param name="HaltAfter">Failures after which the run starts nothing further; null: never.</param>
/// <param name="Hours">The first of the allowed hours to come; empty where all are allowed.</param>
public sealed record PlanBody(
    string Title,
    string Brief,
    TimeSpan Keep,
    int? HaltAfter,
    IReadOnlyList<string> Waves,
    IReadOnlyList<PlannedMachine> Machines,
    IReadOnlyList<PlannedRelocation> Relocations,
    IReadOnlyList<Hazard> Hazards,
    IReadOnlyList<WaveForecast> Calendar,
    IReadOnlyList<OpenHours> Hours
)
{
    /// <summary>How many of its machines are worked on at once.</summary>
    public AtOnce AtOnce { get; init; } = AtOnce.All;

    /// <summary>A run of it begins only when a second person has approved it.</summary>
    public bool WantsApproval { get; init; }
}

/// <summary>A machine's standing.</summary>
[JsonConverter(typeof(WordConverter<Standing>))]
public enum Standing
{
    Ready,
    UnderWay,
    Waiting,
    Stuck,
    Settled,
    Drifted,
    Silent,
}

/// <summary>The shapes of standings, the same in terminal, console and report.</summary>
public static class Standings
{
    /// <summary>The shape for a standing.</summary>
    public static char Shape(this Standing standing) =>
        standing switch
        {
            Standing.Ready => '□',
            Standing.UnderWay => '◧',
            Standing.Waiting => '◫',
            Standing.Stuck => '▲',
            Standing.Settled => '■',
            Standing.Drifted => '◇',
            _ => '–',
        };
}

/// <summary>A relocation that came, went or changed between two plans, and how.</summary>
public sealed record RelocationDifference(string Machine, HoldingName Holding, IReadOnlyList<string> Changes);

/// <summary>How often a hazard is found in two plans.</summary>
public sealed record HazardDifference(string Code, Severity Severity, int Before, int After);

/// <summary>What a plan comes to: what would be carried out.</summary>
public sealed record PlanTotals(int Machines, int Relocations, long DataBytes, Span Outage);

/// <summary>What differs between two plans.</summary>
public sealed record PlanChanges(
    IReadOnlyList<string> MachinesAdded,
    IReadOnlyList<string> MachinesGone,
    IReadOnlyList<RelocationDifference> Added,
    IReadOnlyList<RelocationDifference> Gone,
    IReadOnlyList<RelocationDifference> Changed,
    IReadOnlyList<HazardDifference> Hazards,
    PlanTotals Before,
    PlanTotals After
);
