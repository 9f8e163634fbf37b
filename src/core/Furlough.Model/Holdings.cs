using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>The kinds of things that can be relocated.</summary>
[JsonConverter(typeof(WordConverter<HoldingKind>))]
public enum HoldingKind
{
    Folder,
    Library,
    InstallPath,
    Home,
    App,
}

/// <summary>Names one holding of one machine.</summary>
/// <param name="Account">The account that has it; empty for what all accounts of the machine share.</param>
public sealed record HoldingName(string Account, HoldingKind Kind, string Name)
{
    /// <summary>What an account's home is called as a holding.</summary>
    public const string WholeHome = "home";

    /// <summary>Belongs to no account, but to the machine.</summary>
    [JsonIgnore]
    public bool IsShared => Account.Length == 0;

    /// <summary>Whether another holding belongs inside this one: apps where programs are installed.</summary>
    public bool Houses(HoldingName other) => Kind == HoldingKind.InstallPath && other.Kind == HoldingKind.App;

    /// <summary>"Pictures of asa.lind", "programs of the machine".</summary>
    public override string ToString() => InWords(Name, Account);

    /// <summary>"Pictures of asa.lind", "programs of the machine".</summary>
    public static string InWords(string holding, string account) =>
        $"{holding} of {(account.Length == 0 ? "the machine" : account)}";
}

/// <summary>
/// A place: a volume (its identity's key) and a path on it, parts separated by '/', without a leading one.
/// </summary>
public sealed record Place(string Volume, string Path)
{
    /// <summary>The path's parts.</summary>
    [JsonIgnore]
    public IReadOnlyList<string> Parts => Path.Length == 0 ? [] : Path.Split('/');

    /// <summary>True when this place is the other one or lies below it.</summary>
    public bool IsInside(Place other) =>
        Volume == other.Volume
        && (
            Path == other.Path || other.Path.Length == 0 || Path.StartsWith(other.Path + "/", StringComparison.Ordinal)
        );
}

/// <summary>
/// Where a pointer is found: its kind's adapter, the container (settings file or the like) and the key in it.
/// </summary>
public sealed record PointerAddress(string Kind, string Container, string Key, string Account)
{
    /// <summary>
    /// The name that the program adds to the value; null where the value is the holding's own folder.
    /// </summary>
    public string? Adds { get; init; }

    /// <summary>The value names a volume alone, on which the program has a folder of the name that it adds.</summary>
    public bool NamesVolume { get; init; }

    /// <summary>
    /// What the value has behind the holding's path: it leads to a folder of its own beside the holding's, as the twin
    /// of another pointer, or to one in it. Null for every other pointer.
    /// </summary>
    public string? Behind { get; init; }

    /// <summary>
    /// No setting leads to the holding: its program knows only this path, on which a link stands instead of the data
    /// when that lives elsewhere. The engine leaves it and takes it away.
    /// </summary>
    public bool InPlace { get; init; }

    /// <summary>The commands that keep it; null where none do.</summary>
    public SettingCommands? Commands { get; init; }

    /// <summary>Whether this is the same setting as another one's, whatever each reads from its value.</summary>
    public bool IsSameSetting(PointerAddress other) =>
        (Kind, Container, Key, Account) == (other.Kind, other.Container, other.Key, other.Account);

    /// <summary>The container and key for people.</summary>
    public override string ToString() => Key.Length == 0 ? $"{Container} (a link)" : $"{Key} in {Container}";
}

/// <summary>A pointer's raw value with its type. A null text says that the setting does not exist.</summary>
public sealed record PointerValue(string Type, string? Text)
{
    /// <summary>The setting does not exist.</summary>
    public static PointerValue Absent { get; } = new("absent", null);
}

/// <summary>
/// A pointer as surveyed; <paramref name="Resolves"/> is the place it leads to, null when it leads nowhere known.
/// </summary>
public sealed record PointerFacts(PointerAddress Address, PointerValue Value, Place? Resolves)
{
    /// <summary>
    /// What keeps it as it is, against its account: "the file belongs to root". Null for a setting that is the
    /// account's own.
    /// </summary>
    public string? FixedBy { get; init; }

    /// <summary>
    /// In a plan: path below the holding that is moved at which the one that it leads to lives. Empty for the moved one
    /// itself.
    /// </summary>
    public string Within { get; init; } = "";
}

/// <summary>
/// What a tree may ask of the file system that stores it, or of its place (links that lead elsewhere from another one);
/// and what no copy can keep: marks against changes, encryption, content that is not in the file itself, facts beside
/// it, other volumes mounted inside.
/// </summary>
[JsonConverter(typeof(WordConverter<DemandKind>))]
public enum DemandKind
{
    Links,
    HardLinks,
    Holes,
    Attributes,
    NamesByCase,
    OddNames,
    PipesAndSockets,
    DeviceNodes,
    LinksElsewhere,
    Unchangeable,
    Encrypted,
    NotHere,
    FactsNotKept,
    Mounts,
}

/// <summary>How many nodes of a tree ask for something, and the first of them.</summary>
public sealed record Demand(DemandKind Kind, long Count, string Example);

/// <summary>What a holding asks of the file system that stores it.</summary>
public sealed record Demands(IReadOnlyList<Demand> Found, long LargestFileBytes, int LongestPathBytes)
{
    /// <summary>Nothing that some file system lacks.</summary>
    public static Demands None { get; } = new([], 0, 0);

    /// <summary>Both together; the first example of each kind stays.</summary>
    public Demands With(Demands other) =>
        other == None
        || other.Found.Count == 0
            && other.LargestFileBytes <= LargestFileBytes
            && other.LongestPathBytes <= LongestPathBytes
            ? this
            : new Demands(
                [
                    .. Found
                        .Concat(other.Found)
                        .GroupBy(d => d.Kind)
                        .Select(g => g.First() with { Count = g.Sum(d => d.Count) })
                        .OrderBy(d => d.Kind),
                ],
                Math.Max(LargestFileBytes, other.LargestFileBytes),
                Math.Max(LongestPathBytes, other.LongestPathBytes)
            );

    /// <summary>A demand, or null when nothing asks for it.</summary>
    public Demand? Of(DemandKind kind) => Found.FirstOrDefault(d => d.Kind == kind);
}

/// <summary>What a tree takes where space is given out in clusters of a size, in bytes.</summary>
public sealed record ClusterUse(int ClusterBytes, long AllocatedBytes);

/// <summary>A holding as surveyed.</summary>
/// <param name="Place">Where its data lives; null when its pointers lead to no known volume.</param>
/// <param name="Present">Whether the folder is there.</param>
/// <param name="Files">Number of files, hidden ones included.</param>
/// <param name="DataBytes">Bytes of data: hard links once, holes not counted.</param>
/// <param name="HiddenBytes">The part of it in hidden files or folders.</param>
/// <param name="InUse">Who holds files open below it: "program (account): path".</param>
public sealed record HoldingFacts(
    HoldingName Name,
    Place? Place,
    string PathShown,
    bool Present,
    IReadOnlyList<PointerFacts> Pointers,
    long Files,
    long DataBytes,
    long HiddenBytes,
    IReadOnlyList<string> InUse,
    Demands Demands
)
{
    /// <summary>
    /// What it would take on each of the machine's volumes, by their cluster sizes; empty where it was not measured.
    /// </summary>
    public IReadOnlyList<ClusterUse> Allocated { get; init; } = [];

    /// <summary>When a file in it was changed last; null for an empty one, or where it was not measured.</summary>
    public DateTimeOffset? LastChange { get; init; }

    /// <summary>System services that hold files of it open.</summary>
    public IReadOnlyList<string> Services { get; init; } = [];

    /// <summary>
    /// What of the machine's configuration names it by its path, or serves a folder around it: "the Samba share
    /// `plates` (`/etc/samba/smb.conf`)".
    /// </summary>
    public IReadOnlyList<string> ServedBy { get; init; } = [];

    /// <summary>
    /// Files of it that are only in the cloud: they take no space here, and reading one downloads it.
    /// </summary>
    public long CloudOnlyFiles { get; init; }

    /// <summary>What those files would take.</summary>
    public long CloudOnlyBytes { get; init; }

    /// <summary>For an install path: what is installed there, at most <see cref="MostEntries"/> names.</summary>
    public IReadOnlyList<string> Installed { get; init; } = [];

    /// <summary>
    /// For an install path: what is smaller goes to the system volume whatever the setting says, in bytes; 0 for
    /// nothing.
    /// </summary>
    public long SmallestBytes { get; init; }

    /// <summary>The program whose holding it is; null where nothing is to be done about one.</summary>
    public OwnProgram? Program { get; init; }

    /// <summary>
    /// It is not there yet, no setting names a place for it, and its program makes it when it is started once.
    /// </summary>
    [JsonIgnore]
    public bool IsMadeByFirstStart =>
        !Present
        && Place is not null
        && Program is { FirstStart.Count: > 0 }
        && Pointers.All(p => p.Value.Text is null);

    /// <summary>Most names in <see cref="Installed"/>.</summary>
    public const int MostEntries = 50;

    /// <summary>
    /// The folder around it that the system hides from people, where hiding is not a matter of names; null where there
    /// is none.
    /// </summary>
    public string? HiddenIn { get; init; }

    /// <summary>Why it cannot be moved, half a sentence; null where nothing keeps it.</summary>
    public string? Immovable { get; init; }

    /// <summary>Why it is not its account's to be relocated, a sentence; null when it is.</summary>
    public string? Foreign { get; init; }

    /// <summary>For a home: what else depends on where it is; null for everything else.</summary>
    public HomeFacts? Home { get; init; }

    /// <summary>
    /// What stands at the usual place of such a folder while its pointers lead elsewhere; null when nothing does.
    /// </summary>
    public StrayFolder? Stray { get; init; }
}

/// <summary>What depends on where a home is.</summary>
/// <param name="NamedBy">What of the system names it by its path: "the timetable of asa.lind", a settings file.</param>
/// <param name="CacheBytes">What programs keep in it only to be quicker, in bytes.</param>
/// <param name="Confinement">What lets programs work in homes at certain places only; null for nothing.</param>
/// <param name="NamesAccount">The account is known by the name of its home's folder.</param>
public sealed record HomeFacts(
    IReadOnlyList<string> NamedBy,
    long CacheBytes,
    Confinement? Confinement,
    bool NamesAccount = false
);

/// <summary>What lets programs work in homes at certain places only.</summary>
/// <param name="By">Its name.</param>
/// <param name="Homes">The folders below which it expects homes.</param>
/// <param name="Remedy">How another one is added, a sentence.</param>
public sealed record Confinement(string By, IReadOnlyList<string> Homes, string Remedy);

/// <summary>A folder at the usual place of a holding that lives elsewhere.</summary>
public sealed record StrayFolder(string PathShown, long Files, long DataBytes);

/// <summary>An account of a machine.</summary>
public sealed record AccountFacts(string Name, string Id, string Home, bool Fallback, bool SignedIn)
{
    /// <summary>Stands for the account of what all accounts of a machine share.</summary>
    public static AccountFacts Nobody { get; } = new("", "0", "", false, false);

    /// <summary>What runs in it; null for nothing, or where that is not known.</summary>
    public AccountSession? Session { get; init; }

    /// <summary>How much it may store on volumes where that is limited.</summary>
    public IReadOnlyList<AccountQuota> Quotas { get; init; } = [];

    /// <summary>
    /// Furlough keeps it from signing in: what stands in the way of letting it in again, half a sentence, empty for
    /// nothing. Null where it is not locked out.
    /// </summary>
    public string? KeptOut { get; init; }

    /// <summary>It comes from a directory of accounts that many machines share.</summary>
    public bool FromDirectory { get; init; }

    /// <summary>Its home follows it from machine to machine.</summary>
    public bool Roams { get; init; }
}

/// <summary>How much an account may store on a volume.</summary>
/// <param name="Volume">Key of the volume.</param>
/// <param name="LimitBytes">The lower of its limits.</param>
/// <param name="UsedBytes">What it stores there.</param>
public sealed record AccountQuota(string Volume, long LimitBytes, long UsedBytes);

/// <summary>What runs in an account.</summary>
/// <param name="Since">When the first of its running programs was started.</param>
/// <param name="Homes">The homes that they were started with.</param>
public sealed record AccountSession(DateTimeOffset Since, IReadOnlyList<string> Homes);

/// <summary>A folder that a sync client keeps the same as elsewhere.</summary>
/// <param name="Client">The client's name.</param>
public sealed record SyncFolderFacts(string Client, string Account, Place Place);

/// <summary>A folder that people share and that should be empty.</summary>
/// <param name="Name">As its kind card calls it.</param>
/// <param name="Left">What lies in it, by owner; empty for nothing.</param>
public sealed record CommonFolderFacts(string Name, string PathShown, IReadOnlyList<LeftFiles> Left);

/// <summary>What someone left in a common folder.</summary>
/// <param name="Account">Whose files they are; a number where no account has it.</param>
/// <param name="LastChange">When the newest of them was changed.</param>
public sealed record LeftFiles(string Account, long Files, long DataBytes, DateTimeOffset LastChange);

/// <summary>What a machine says of its backups.</summary>
/// <param name="LastDone">When the last one was done; null for none yet.</param>
/// <param name="Covers">The places that it saves, with everything below them.</param>
public sealed record BackupFacts(DateTimeOffset? LastDone, IReadOnlyList<Place> Covers)
{
    /// <summary>Whether it saves a place.</summary>
    public bool Saves(Place place) => Covers.Any(place.IsInside);
}

/// <summary>An original that waits on its own volume for being discarded.</summary>
/// <param name="Docket">The docket that set it aside.</param>
/// <param name="WrittenTo">Something below it is not as it was when it was set aside.</param>
/// <param name="Recreated">What stands again at the source, or null.</param>
public sealed record OriginalFacts(
    Guid Docket,
    HoldingName Holding,
    Place Source,
    DateTimeOffset SetAside,
    long Files,
    long DataBytes,
    bool WrittenTo,
    RecreatedSource? Recreated
);

/// <summary>What programs or people made at a holding's former place after the switch.</summary>
/// <param name="LastChange">When a file in it was changed last; null when no file is there.</param>
public sealed record RecreatedSource(long Files, long DataBytes, DateTimeOffset? LastChange);

/// <summary>
/// The name behind a number by which file systems know a user or group. The name stays when a system is reinstalled;
/// the number may not.
/// </summary>
public sealed record NumberedName(uint Number, string Name, bool IsGroup);

/// <summary>How a receipt is named when it is adopted.</summary>
public static class ReceiptDigest
{
    /// <summary>SHA-256 of a receipt's body, hexadecimal.</summary>
    public static string Of(string body) =>
        Convert.ToHexStringLower(
            System.Security.Cryptography.SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(body))
        );
}

/// <summary>
/// A receipt that a survey found and that the agent's journal knows nothing of: from before the system was reinstalled,
/// or from another machine.
/// </summary>
/// <param name="Docket">The docket that wrote it.</param>
/// <param name="Machine">The machine that carried it out.</param>
/// <param name="Target">Where the holding was put.</param>
/// <param name="Files">Number of files then.</param>
/// <param name="DataThere">A folder stands at the target.</param>
/// <param name="KeepsOriginal">An original stands beside the receipt.</param>
/// <param name="Body">The receipt's text.</param>
/// <param name="Signature">Its signature, by that machine's agent.</param>
/// <param name="Genuine">The service knows the key that signed it.</param>
public sealed record ReceiptFacts(
    Guid Docket,
    Guid Machine,
    HoldingName Holding,
    Place Target,
    DateTimeOffset WrittenAt,
    long Files,
    long DataBytes,
    bool DataThere,
    bool KeepsOriginal,
    string Body,
    string Signature,
    bool Genuine
);

/// <summary>What a volume held at an earlier time.</summary>
/// <param name="Volume">Its identity's key.</param>
public sealed record VolumeSample(string Volume, DateTimeOffset At, long UsedBytes);

/// <summary>What an agent found on its machine.</summary>
/// <param name="TakenAt">When it was begun, by the machine's clock: what has changed since may be in it or not.</param>
public sealed record Survey(
    DateTimeOffset TakenAt,
    string OperatingSystem,
    string AgentVersion,
    IReadOnlyList<VolumeFacts> Volumes,
    IReadOnlyList<AccountFacts> Accounts,
    IReadOnlyList<HoldingFacts> Holdings,
    IReadOnlyList<OriginalFacts> Originals,
    IReadOnlyList<ReceiptFacts> Receipts,
    IReadOnlyList<string> Notes
)
{
    /// <summary>What the machine remembers of its volumes since it last reached the service.</summary>
    public IReadOnlyList<VolumeSample> Past { get; init; } = [];

    /// <summary>What its volumes held: what it remembers, and what it found.</summary>
    public IEnumerable<VolumeSample> Samples() =>
        Past.Concat(
            Volumes
                .Where(v => v.Identity.Key.Length > 0)
                .Select(v => new VolumeSample(v.Identity.Key, TakenAt, v.SizeBytes - v.FreeBytes))
        );

    /// <summary>Folders that sync clients keep.</summary>
    public IReadOnlyList<SyncFolderFacts> SyncFolders { get; init; } = [];

    /// <summary>Folders that people share and that should be empty.</summary>
    public IReadOnlyList<CommonFolderFacts> CommonFolders { get; init; } = [];

    /// <summary>What is known of the machine's backups; null for nothing.</summary>
    public BackupFacts? Backup { get; init; }

    /// <summary>When the system was started, by its own clock; null where that is not known.</summary>
    public DateTimeOffset? StartedAt { get; init; }

    /// <summary>When it was handed in, by the machine's clock; null for one that was not sent yet.</summary>
    public DateTimeOffset? SentAt { get; init; }

    /// <summary>The system waits for a restart.</summary>
    public bool RestartPending { get; init; }

    /// <summary>The agent's adapters have not been proven on a real system of this kind.</summary>
    public bool Unproven { get; init; }

    /// <summary>Nothing can be shown to people who are signed in.</summary>
    public bool CannotTell { get; init; }

    /// <summary>The machine ran on battery.</summary>
    public bool OnBattery { get; init; }

    /// <summary>
    /// The number of the service's request that it answers: it was begun after the agent had received that one. Null
    /// for none.
    /// </summary>
    public long? Request { get; init; }

    /// <summary>
    /// What of a holding's data belongs to no other holding inside it, in bytes: a home is more than its folders.
    /// </summary>
    public long OwnBytes(HoldingFacts holding)
    {
        if (holding.Place is not { } place)
            return holding.DataBytes;
        var inside = Holdings
            .Where(h =>
                h is { Present: true, Place: { } at }
                && h.Name.Kind != HoldingKind.InstallPath
                && at != place
                && at.IsInside(place)
            )
            .DistinctBy(h => h.Place)
            .ToList();
        return Math.Max(
            0,
            holding.DataBytes
                - inside
                    .Where(h => !inside.Exists(o => o.Place != h.Place && h.Place!.IsInside(o.Place!)))
                    .Sum(h => h.DataBytes)
        );
    }

    /// <summary>The account that has a holding; for what all share, an account without a name.</summary>
    public AccountFacts AccountOf(HoldingName holding) =>
        holding.IsShared ? AccountFacts.Nobody : Accounts.First(a => a.Name == holding.Account);

    /// <summary>The volume of a place, or null when it is absent.</summary>
    public VolumeFacts? VolumeOf(Place? place) =>
        place is null ? null : Volumes.FirstOrDefault(v => v.Identity.Key == place.Volume);

    /// <summary>A place as this machine spells it.</summary>
    public string Show(Place place)
    {
        var volume = VolumeOf(place);
        if (volume is null)
            return $"(absent volume {place.Volume})/{place.Path}";
        var windows = volume.Root.EndsWith(':');
        var root = volume.Root == "/" ? "" : volume.Root;
        return windows ? root + "\\" + place.Path.Replace('/', '\\') : root + "/" + place.Path;
    }
}
