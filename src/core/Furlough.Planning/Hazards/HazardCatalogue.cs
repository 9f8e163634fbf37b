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

    /// <summary>What the holding takes on the target, in whole clusters where they were measured, else its data and half a cluster for every file; nothing where it is there already.</summary>
    public long NeededBytes =>
        Method == Method.Adopt
            ? 0
            : Holding.Allocated.FirstOrDefault(a => a.ClusterBytes == Target?.ClusterBytes)?.AllocatedBytes
                ?? Holding.DataBytes + Holding.Files * (Target?.ClusterBytes ?? 4096) / 2;

    /// <summary>A link stays at the former place: the brief wants it, or nothing else leads to the holding.</summary>
    public bool LeavesLink => Item.LeavesLink || Holding.Pointers.Any(p => p.Address.InPlace);

    /// <summary>The role whose volume is the target.</summary>
    public string Role => Item.Onto;

    /// <summary>The target as the machine spells it.</summary>
    public string Shown => Survey.Show(Place);

    /// <summary>Desktops and homes are read at sign-in: where their volume may be late, nobody gets in.</summary>
    public bool NeededAtSignIn => Holding.Name.Kind == HoldingKind.Home || Holding.Name.Name == "Desktop";

    /// <summary>A hazard about this holding.</summary>
    /// <param name="remedy">Where it is another than the catalogue's.</param>
    public Hazard Say(HazardEntry entry, string text, string? remedy = null) =>
        new(
            entry.Code,
            NeededAtSignIn ? entry.AtSignIn ?? entry.Severity : entry.Severity,
            Machine.Name,
            Holding.Name.Account,
            Holding.Name.Name,
            text,
            remedy ?? entry.Remedy
        );
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
)
{
    /// <summary>A hazard about this machine.</summary>
    public Hazard Say(HazardEntry entry, string text) =>
        new(entry.Code, entry.Severity, Machine.Name, null, null, text, entry.Remedy);
}

/// <summary>How a volume fares through a plan.</summary>
/// <param name="Lowest">Its lowest point.</param>
/// <param name="BreaksByGrowth">It falls below its reserve, and would not if it did not fill up by itself.</param>
public sealed record VolumeOutlook(
    string Root,
    long ReserveBytes,
    SpacePoint Lowest,
    long GrowsBytesPerDay,
    bool BreaksByGrowth
);

/// <summary>A hazard's line in the catalogue.</summary>
/// <param name="Code">Stable, hyphenated.</param>
/// <param name="When">When it applies, a sentence.</param>
/// <param name="Remedy">What to do, a sentence.</param>
/// <param name="AtSignIn">The severity for folders that are needed at sign-in, where it differs.</param>
/// <param name="OfSettings">Also asked where only settings change and no data moves.</param>
public sealed record HazardEntry(
    string Code,
    Severity Severity,
    string When,
    string Remedy,
    Severity? AtSignIn = null,
    bool OfSettings = false
);

/// <summary>One hazard of a relocation: when it applies and what it says.</summary>
public interface IHazard
{
    /// <summary>Its line in the catalogue.</summary>
    HazardEntry Entry { get; }

    /// <summary>The hazard for this relocation, or null.</summary>
    Hazard? Check(HazardContext c);
}

/// <summary>One hazard of a whole machine.</summary>
public interface IMachineHazard
{
    /// <summary>Its line in the catalogue.</summary>
    HazardEntry Entry { get; }

    /// <summary>The hazard for this machine, or null.</summary>
    Hazard? Check(MachineContext c);
}

/// <summary>All hazards. A new one is a class in this folder and a line here.</summary>
public static class HazardCatalogue
{
    /// <summary>Why there is nothing to do for a holding: it is not planned, and asked nothing else.</summary>
    public static IReadOnlyList<IHazard> NothingToDo { get; } = [new AlreadyThere(), new AppStays()];

    /// <summary>What a single relocation is asked for, in the sequence in which it is shown.</summary>
    public static IReadOnlyList<IHazard> All { get; } =
    [
        new AppCannotMove(),
        new NameIncomplete(),
        new NoVolumeForRole(),
        new PlaceUnknown(),
        new SourceIsVolume(),
        new NoClosedFolder(),
        new MadeByFirstStart(),
        new TargetTooSmall(),
        new QuotaTooSmall(),
        new ReserveBroken(),
        new TargetOnSystemVolume(),
        new TargetOnNetworkVolume(),
        new TargetOnExternalVolume(),
        new TargetOnRemovableVolume(),
        new PortableTargetUnencrypted(),
        new TargetWithoutFixedMount(),
        new TargetReadFromCache(),
        new TargetLacksOwners(),
        new TargetLacksKinds(),
        new TargetMergesNames(),
        new TargetRefusesNames(),
        new TargetLosesFacts(),
        new FileTooLarge(),
        new PathTooLong(),
        new DeviceNodes(),
        new CannotBeCopied(),
        new CopyLosesFacts(),
        new LinkNotPossible(),
        new LinksLeadElsewhere(),
        new TargetInsideSource(),
        new TargetInsideHolding(),
        new SharedByAccounts(),
        new SourceForeign(),
        new ServedBy(),
        new HoldingInside(),
        new MovesAlong(),
        new TargetNotEmpty(),
        new HoldingAlreadyThere(),
        new ReceiptNotGenuine(),
        new OnePlaceTwice(),
        new PointersDisagree(),
        new PointerShapeWrong(),
        new SettingNotThere(),
        new ProgramsStay(),
        new SmallAppsStay(),
        new KeptBySyncClient(),
        new TargetInSyncFolder(),
        new OnlyInCloud(),
        new HomeOfFallback(),
        new HomeWithoutFallback(),
        new HomeWithParts(),
        new HomeNamedByPath(),
        new HomeNamedOtherwise(),
        new ConfinedElsewhere(),
        new CachesInHome(),
        new SettingFixed(),
        new HiddenApplicationData(),
        new PartlyElsewhere(),
        new AccountRoams(),
        new AccountFromDirectory(),
        new BackupMissesTarget(),
        new AccountSignedIn(),
        new FilesInUse(),
        new ServiceRunning(),
        new PersonWanted(),
        new ExchangeAcrossVolumes(),
        new LongerThanHours(),
        new MayOutlastHours(),
    ];

    private static readonly IReadOnlyList<IHazard> OfSettings = [.. All.Where(h => h.Entry.OfSettings)];

    /// <summary>What a relocation by a method is asked for.</summary>
    public static IReadOnlyList<IHazard> Asked(Method method) => method == Method.Setting ? OfSettings : All;

    /// <summary>What a whole machine is asked for.</summary>
    public static IReadOnlyList<IMachineHazard> OfMachines { get; } =
    [
        new SurveyMissing(),
        new SurveyOld(),
        new MachineSilent(),
        new NoFallbackAdministrator(),
        new BackupOld(),
        new BackupUnknown(),
        new UnprovenSystem(),
        new PeopleNotTold(),
        new RestartPending(),
        new OnBattery(),
        new GrowthBreaksReserve(),
    ];

    /// <summary>Every line of the catalogue, by severity and code.</summary>
    public static IReadOnlyList<HazardEntry> Entries { get; } =
    [
        .. All.Concat(NothingToDo)
            .Select(h => h.Entry)
            .Concat(OfMachines.Select(h => h.Entry))
            .OrderBy(e => e.Severity)
            .ThenBy(e => e.Code, StringComparer.Ordinal),
    ];
}
