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
