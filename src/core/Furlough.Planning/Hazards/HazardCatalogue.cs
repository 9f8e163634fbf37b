using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Hazards;

/// <summary>What a hazard looks at: one relocation before it is planned.</summary>
/// <param name="Source">Volume of the source; null when it is absent.</param>
/// <param name="Target">Volume chosen for the role; null when none fits.</param>
/// <param name="Receipt">The receipt by which what is at the target is adopted.</param>
/// <param name="LowestFreeBytes">Free space of every volume after the relocations planned so far.</param>
/// <param name="Before">Relocations of this machine planned so far.</param>
public sealed record HazardContext(
    Brief Brief, FleetMachine Machine, Survey Survey, AccountFacts Account, HoldingFacts Holding, VolumeFacts? Source, VolumeFacts? Target, Place Place, Method Method,
    string Role, ReceiptFacts? Receipt, IReadOnlyDictionary<string, long> LowestFreeBytes, IReadOnlyList<PlannedRelocation> Before)
{
    /// <summary>What the holding takes on the target: its data, and half a cluster for every file; nothing where it is there already.</summary>
    public long NeededBytes => Method == Method.Adopt ? 0 : Holding.DataBytes + Holding.Files * (Target?.ClusterBytes ?? 4096) / 2;

    /// <summary>The target as the machine spells it.</summary>
    public string Shown => Survey.Show(Place);

    /// <summary>Desktops are read at sign-in: where their volume may be late, nobody gets in.</summary>
    public bool NeededAtSignIn => Holding.Name.Name == "Desktop";

    /// <summary>A hazard about this holding.</summary>
    public Hazard Say(string code, Severity severity, string text, string remedy) => new(code, severity, Machine.Name, Holding.Name.Account, Holding.Name.Name, text, remedy);
}

/// <summary>One hazard: when it applies and what it says.</summary>
public interface IHazard
{
    /// <summary>The hazard for this relocation, or null.</summary>
    Hazard? Check(HazardContext c);
}

/// <summary>All hazards that a single relocation is asked for. A new one is a class in this folder and a line here.</summary>
public static class HazardCatalogue
{
    /// <summary>In the sequence in which they are shown.</summary>
    public static IReadOnlyList<IHazard> All { get; } =
    [
        new NoVolumeForRole(), new PlaceUnknown(), new TargetTooSmall(), new ReserveBroken(), new TargetOnSystemVolume(), new TargetOnNetworkVolume(),
        new TargetOnExternalVolume(), new TargetOnRemovableVolume(), new TargetWithoutFixedMount(), new TargetReadFromCache(), new TargetLacksOwners(), new TargetLacksKinds(), new TargetMergesNames(),
        new TargetRefusesNames(), new TargetLosesFacts(), new FileTooLarge(), new PathTooLong(), new DeviceNodes(), new TargetInsideHolding(),
        new TargetNotEmpty(), new HoldingAlreadyThere(), new ReceiptNotGenuine(), new OnePlaceTwice(), new PointersDisagree(), new AccountSignedIn(), new FilesInUse(), new ExchangeAcrossVolumes(),
    ];
}
