using System.Text.Json.Serialization;

namespace Furlough.Model;

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
