using Furlough.Model;
using Furlough.Station.World;

namespace Furlough.Station;

/// <summary>
/// A user folder as declared. Files are named after <paramref name="Stem"/> and <paramref name="Ending"/>.
/// </summary>
public sealed record FolderSpec(string Name, int Files, int SmallFiles, long DataBytes, string Stem, string Ending)
{
    /// <summary>What its surveys say that it asks of a file system.</summary>
    public Demands Demands { get; init; } = Demands.None;

    /// <summary>
    /// For a library of a program that adds this name to its setting; found only by a kind card of the folder's name.
    /// </summary>
    public string? Adds { get; init; }

    /// <summary>
    /// For a library of a program of the Heron desk: the preference that names its folder, as domain and key.
    /// </summary>
    public (string Domain, string Key)? Preference { get; init; }

    /// <summary>
    /// For a library that is not there yet: the program that makes it in its account's home when it is started.
    /// </summary>
    public string? MadeBy { get; init; }

    /// <summary>Found only where a kind card of its name tells of it.</summary>
    public bool IsLibrary => Adds is not null || Preference is not null || MadeBy is not null;

    /// <summary>Where it lives, if not in its account's home.</summary>
    public SpecPlace? LivesAt { get; init; }

    /// <summary>Someone copied it there manually already.</summary>
    public SpecPlace? CopyAt { get; init; }

    /// <summary>Its settings lead to a folder that is not there.</summary>
    public bool IsLost { get; init; }

    /// <summary>What the older one of its two settings says, where they disagree.</summary>
    public string? OlderSetting { get; init; }

    /// <summary>The rule that fixes its settings.</summary>
    public string? FixedBy { get; init; }

    /// <summary>Files that are only in the cloud.</summary>
    public int CloudOnlyFiles { get; init; }

    /// <summary>What stands at its usual place besides.</summary>
    public StrayFolder? Stray { get; init; }

    /// <summary>What of the machine's configuration names it by its path.</summary>
    public IReadOnlyList<string> ServedBy { get; init; } = [];

    /// <summary>Services that work in it.</summary>
    public IReadOnlyList<string> Services { get; init; } = [];
}

/// <summary>
/// Where a stand-in's system installs programs, for all accounts: a setting, and its twin for older programs.
/// </summary>
/// <param name="Installed">What is installed there.</param>
/// <param name="OlderSetting">What the twin says, where they disagree.</param>
public sealed record ProgramsSpec(string Folder, IReadOnlyList<string> Installed, string? OlderSetting = null);

/// <summary>
/// The volume to which a stand-in's system downloads apps, into a folder of its own there: a setting that names the
/// volume alone.
/// </summary>
/// <param name="SmallestBytes">Smaller apps stay on the system volume, whatever it says, and cannot be moved.</param>
/// <param name="Wants">Since when the system has such a setting, where this one has not; null where it has.</param>
public sealed record AppVolumeSpec(string Folder, long SmallestBytes, string? Wants = null);

/// <summary>
/// An app of a stand-in, in a folder of its own where its system installs programs; the system keeps a list of where
/// each one is.
/// </summary>
/// <param name="Immovable">Why the system does not let it be moved; null where it does.</param>
public sealed record AppSpec(string Name, int Files, long DataBytes, string? Immovable = null);

/// <summary>
/// A folder of a stand-in that people share, found only by a kind card of its name, and what they left in it.
/// </summary>
public sealed record CommonFolderSpec(string Name, SpecPlace Place, IReadOnlyList<LeftFiles> Left);

/// <summary>A place on one of a stand-in's volumes.</summary>
/// <param name="Volume">Its index.</param>
public sealed record SpecPlace(int Volume, string Path);

/// <summary>An account of a stand-in.</summary>
public sealed record AccountSpec(string Name, uint Id, bool Fallback, IReadOnlyList<FolderSpec> Folders)
{
    /// <summary>Signed in whenever it is surveyed.</summary>
    public bool SignedIn { get; init; }

    /// <summary>What it may store on its machine's second volume, in bytes; null for no limit.</summary>
    public long? QuotaBytes { get; init; }

    /// <summary>It comes from the station's directory.</summary>
    public bool FromDirectory { get; init; }

    /// <summary>Its home follows it.</summary>
    public bool Roams { get; init; }

    /// <summary>What of its machine names its home by its path.</summary>
    public IReadOnlyList<string> HomeNamedBy { get; init; } = [];

    /// <summary>What of its home is caches.</summary>
    public long CacheBytes { get; init; }

    /// <summary>Folders of its home that the sync client keeps.</summary>
    public IReadOnlyList<string> SyncFolders { get; init; } = [];
}

/// <summary>A stand-in workstation as declared.</summary>
public sealed record MachineSpec(
    string Name,
    string Room,
    string OperatingSystem,
    ulong Seed,
    IReadOnlyList<VolumeSpec> Volumes,
    IReadOnlyList<AccountSpec> Accounts,
    IReadOnlyList<ScriptedFault> Faults
)
{
    /// <summary>Where its system installs programs; null where no setting says so.</summary>
    public ProgramsSpec? Programs { get; init; }

    /// <summary>Where its system downloads apps to; null where it has none of its own.</summary>
    public AppVolumeSpec? AppVolume { get; init; }

    /// <summary>Its accounts are known by the names of their homes' folders.</summary>
    public bool HomesNameAccounts { get; init; }

    /// <summary>
    /// Its system keeps homes and programs' preferences behind its own commands, and has no settings for user folders:
    /// one that lives elsewhere leaves a link in its place.
    /// </summary>
    public bool SettingsBehindCommands { get; init; }

    /// <summary>The apps that its system lists.</summary>
    public IReadOnlyList<AppSpec> Apps { get; init; } = [];

    /// <summary>Folders that people share.</summary>
    public IReadOnlyList<CommonFolderSpec> CommonFolders { get; init; } = [];

    /// <summary>What lets programs work in homes at certain places only.</summary>
    public Confinement? Confinement { get; init; }

    /// <summary>Someone carries it about.</summary>
    public bool OnBattery { get; init; }

    /// <summary>Its system is one on which nobody has relocated anything yet.</summary>
    public bool Unproven { get; init; }

    /// <summary>Nothing can be shown to people who are signed in.</summary>
    public bool CannotTell { get; init; }

    /// <summary>It waits for a restart.</summary>
    public bool RestartPending { get; init; }

    /// <summary>Days since its last backup; null where nothing is known of backups.</summary>
    public int? BackupAgeDays { get; init; } = 1;

    /// <summary>The backup saves the system volume alone.</summary>
    public bool BackupOfSystemAlone { get; init; }

    /// <summary>Someone made up a receipt for a folder of this account.</summary>
    public string? ForgedReceiptFor { get; init; }

    /// <summary>How old its survey is when it hands it in.</summary>
    public TimeSpan SurveyAge { get; init; }

    /// <summary>After which call to the service it is away for good; null for a machine that stays.</summary>
    public string? LeavesAfter { get; init; }
}

/// <summary>Something that goes wrong on purpose, the same each time.</summary>
public abstract record ScriptedFault;

/// <summary>A file that cannot be read.</summary>
public sealed record UnreadableFile(string Account, string Folder, string Path) : ScriptedFault;

/// <summary>The second volume fills up after it was surveyed.</summary>
public sealed record VolumeFills(long LeavesBytes) : ScriptedFault;

/// <summary>The connection goes away in the middle of a copy and comes back.</summary>
public sealed record NetworkCut(long AfterBytes, TimeSpan Length) : ScriptedFault;

/// <summary>A program holds a file open.</summary>
public sealed record HeldOpen(string Account, string Folder, string Program, string File) : ScriptedFault;

/// <summary>Who is signed in puts the work off as often as it may be.</summary>
public sealed record PutsOff(string Account) : ScriptedFault;

/// <summary>An update puts a setting back.</summary>
public sealed record DriftsBack : ScriptedFault;

/// <summary>Power goes between two pointer writes.</summary>
public sealed record PowerLoss : ScriptedFault;
