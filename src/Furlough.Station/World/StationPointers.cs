using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>Typed settings of accounts: each user folder stands in two containers, which must agree.</summary>
/// <param name="behindCommands">The pointers of a Heron desk; null for every other.</param>
internal sealed class StationPointers(StationMachine machine, IPointers? behindCommands) : IPointers
{
    private const string Directory = "account-directory";

    internal const string Kind = "account-setting";
    private const string Link = "link";

    internal static string Current(string account) => $"settings of {account}/folders";

    internal static string Older(string account) => $"settings of {account}/folders, older programs";

    /// <summary>The container that says where homes are.</summary>
    internal const string Accounts = "accounts of the machine";

    /// <summary>The setting of an account's home.</summary>
    internal PointerAddress AddressOfHome(string account) =>
        machine.Spec.SettingsBehindCommands
            ? new(Directory, "the directory service", "home", account)
            : new(Kind, Accounts, account, account);

    private const string Machine = "settings of the machine",
        Shared = $"{Machine}/programs";

    /// <summary>The setting of a machine's programs, and its twin.</summary>
    internal static IReadOnlyList<PointerAddress> AddressesOfPrograms { get; } =
    [new(Kind, Shared, ProgramsKey, ""), new(Kind, $"{Shared}, older programs", ProgramsKey, "")];

    internal const string ProgramsKey = "programs";

    /// <summary>The setting of the volume for downloaded apps.</summary>
    internal static PointerAddress AddressOfAppVolume(AppVolumeSpec apps) =>
        new(Kind, $"{Machine}/apps", AppVolumeKey, "") { Adds = apps.Folder, NamesVolume = true };

    internal const string AppVolumeKey = "app-volume";

    /// <summary>Where the system's list of apps says that one is.</summary>
    internal static PointerAddress AddressOfApp(string name) => new(Kind, "apps of the machine", name, "");

    /// <summary>A folder stands in both containers, a library in one.</summary>
    internal IReadOnlyList<PointerAddress> Addresses(string account, FolderSpec folder, KindCard? card) =>
        card is not null && folder.Preference is not null
            ?
            [
                .. card
                    .Pointers.Where(p => p.Syntax == CardPointer.Preference)
                    .Select(p => new PointerAddress(CardPointer.Preference, p.File, p.Key, account) { Adds = p.Adds }),
            ]
        : machine.Spec.SettingsBehindCommands ? [InPlace(account, folder.Name)]
        : folder.IsLibrary ? [new(Kind, Current(account), folder.Name, account) { Adds = folder.Adds }]
        : [new(Kind, Current(account), folder.Name, account), new(Kind, Older(account), folder.Name, account)];

    /// <summary>Where no setting says where a folder is: the link that stands in its place.</summary>
    internal static PointerAddress InPlace(string account, string folder) =>
        new(Link, $"~/{folder}", "", account) { InPlace = true };

    public PointerValue Read(PointerAddress address)
    {
        lock (machine.Lock)
        {
            if (BehindCommands(address) is { } behind)
                return behind.Read(address);
            if (!address.InPlace)
                return machine.Setting(address.Container, address.Key);
            return OwnPlace(address) is { } own && machine.Find(own)?.Link is { } text
                ? new PointerValue(Link, text)
                : PointerValue.Absent;
        }
    }

    /// <summary>The path on which a folder without a setting stands, or its link.</summary>
    internal Place? OwnPlace(PointerAddress address) =>
        Resolve(machine, address.Account, new PointerValue("text", "%PROFILE%" + address.Container[1..]));

    /// <summary>Where a value leads, as a place.</summary>
    internal Place? PlaceOf(PointerAddress address, PointerValue value) =>
        address.NamesVolume
            ? machine.VolumeStates.FirstOrDefault(v => v.Spec.Letter == value.Text) is { } named
                ? new Place(named.Identity.Key, address.Adds!)
                : null
            : Leads(address, value) is { } text
                ? Resolve(machine, address.Account, new PointerValue("text", text))
                : null;

    public string? Leads(PointerAddress address, PointerValue value) =>
        BehindCommands(address) is { } behind ? behind.Leads(address, value)
        : address.NamesVolume
            ? PlaceOf(address, value) is { } apps ? machine.Volumes.Show(apps)
                : null
        : address.InPlace && value.Text is null
            ? OwnPlace(address) is { } own ? machine.Volumes.Show(own)
                : null
        : Resolve(machine, address.Account, value) is { } place
            ? machine.Volumes.Show(address.Adds is null ? place : place with { Path = $"{place.Path}/{address.Adds}" })
        : null;

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        BehindCommands(address) is { } behind ? behind.Spell(address, place, present)
        : address.NamesVolume
            ? present with
            {
                Text = machine.VolumeStates.First(v => v.Identity.Key == place.Volume).Spec.Letter,
            }
        : address.InPlace ? new PointerValue(Link, machine.Volumes.Show(place))
        : present with
        {
            Text = machine.Volumes.Show(
                address.Adds is null ? place : place with { Path = string.Join('/', place.Parts.SkipLast(1)) }
            ),
        };

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        lock (machine.Lock)
        {
            if (BehindCommands(address) is { } behind)
            {
                behind.Swap(address, expected, next);
                return;
            }
            var found = machine.Setting(address.Container, address.Key);
            if (found != expected)
                throw Faults.PointerChanged(address, expected, found);
            if (
                address.Container == Older(address.Account)
                && machine.Spec.Faults.OfType<PowerLoss>().Any()
                && machine.Once("power loss")
            )
                throw new PowerLossException();
            machine.SetSetting(address.Container, address.Key, next);
        }
    }

    private IPointers? BehindCommands(PointerAddress address) =>
        address.Kind is Directory or CardPointer.Preference ? behindCommands : null;

    /// <summary>Where a setting leads.</summary>
    internal static Place? Resolve(StationMachine machine, string account, PointerValue value)
    {
        var text = value.Text?.Replace("%PROFILE%", machine.Setting(Accounts, account).Text, StringComparison.Ordinal);
        // The longest that fits: one volume may be shown below another.
        return text is null
            ? null
            : machine
                .VolumeStates.Select(v => (Volume: v, Path: v.PathOf(text)))
                .Where(f => f.Path is not null)
                .OrderBy(f => f.Path!.Length)
                .Select(f => new Place(f.Volume.Identity.Key, f.Path!))
                .FirstOrDefault();
    }
}
