using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Hazards;

/// <summary>What a hazard looks at: one relocation before it is planned.</summary>
/// <param name="Item">The line of the brief that it follows from.</param>
/// <param name="Source">Volume of the source; null when it is absent.</param>
/// <param name="Target">Volume chosen for the role; null when none fits.</param>
/// <param name="Receipt">The receipt by which what is at the target is adopted.</param>
/// <param name="LowestFreeBytes">Free space of every volume after the relocations planned so far.</param>
/// <param name="Before">Relocations of this machine planned so far.</param>
public sealed record HazardContext(
    Brief Brief,
    RelocateItem Item,
    FleetMachine Machine,
    Survey Survey,
    AccountFacts Account,
    HoldingFacts Holding,
    VolumeFacts? Source,
    VolumeFacts? Target,
    Place Place,
    Method Method,
    ReceiptFacts? Receipt,
    IReadOnlyDictionary<string, long> LowestFreeBytes,
    IReadOnlyList<PlannedRelocation> Before
)
{
    /// <summary>How long it will take; null where nothing can be said.</summary>
    public RelocationForecast? Forecast { get; init; }

    /// <summary>The longest of the allowed hours to come; null where all hours are allowed.</summary>
    public TimeSpan? LongestHours { get; init; }

    /// <summary>
    /// What the holding takes on the target, in whole clusters where they were measured, else its data and half a
    /// cluster for every file; nothing where it is there already.
    /// </summary>
    public long NeededBytes =>
        Method == Method.Adopt
            ? 0
            : Holding.Allocated.FirstOrDefault(a => a.ClusterBytes == Target?.ClusterBytes)?.AllocatedBytes
                ?? Holding.DataBytes + Holding.Files * (Target?.ClusterBytes ?? 4096) / 2;

    /// <summary>A link stays at the former place: the brief needs it, or nothing else leads to the holding.</summary>
    public bool LeavesLink => Item.LeavesLink || Holding.Pointers.Any(p => p.Address.InPlace);

    /// <summary>The role whose volume is the target.</summary>
    public string Role => Item.Onto;

    /// <summary>The target as the machine spells it.</summary>
    public string Shown => Survey.Show(Place);

    /// <summary>Desktops and homes are read at sign-in: where their volume may be late, nobody gets in.</summary>
    public bool NeededAtSignIn => Holding.Name.Kind == HoldingKind.Home || Holding.Name.Name == "Desktop";
}

/// <summary>What a hazard of a whole machine looks at, when its relocations are planned.</summary>
/// <param name="Relocations">Those that would be carried out.</param>
/// <param name="Work">How long they likely take.</param>
/// <param name="BackupWithin">How old its last backup may be.</param>
public sealed record MachineContext(
    FleetMachine Machine,
    DateTimeOffset Now,
    IReadOnlyList<PlannedRelocation> Relocations,
    TimeSpan Work,
    IReadOnlyList<VolumeOutlook> Volumes,
    TimeSpan BackupWithin
);

/// <summary>How a volume fares through a plan.</summary>
/// <param name="Lowest">Its lowest point.</param>
/// <param name="BreaksByGrowth">It falls below its reserve, and would not if it did not fill up automatically.</param>
public sealed record VolumeOutlook(
    string Root,
    long ReserveBytes,
    SpacePoint Lowest,
    long GrowsBytesPerDay,
    bool BreaksByGrowth
);
