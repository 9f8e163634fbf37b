using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>The kinds of things that can be relocated.</summary>
[JsonConverter(typeof(WordConverter<HoldingKind>))]
public enum HoldingKind { Folder }

/// <summary>Names one holding of one machine.</summary>
public sealed record HoldingName(string Account, HoldingKind Kind, string Name)
{
    /// <summary>"Pictures of asa.lind".</summary>
    public override string ToString() => $"{Name} of {Account}";
}

/// <summary>A place: a volume (its identity's key) and a path on it, parts separated by '/', without a leading one.</summary>
public sealed record Place(string Volume, string Path)
{
    /// <summary>The path's parts.</summary>
    [JsonIgnore] public IReadOnlyList<string> Parts => Path.Length == 0 ? [] : Path.Split('/');

    /// <summary>True when this place is the other one or lies below it.</summary>
    public bool IsInside(Place other) =>
        Volume == other.Volume && (Path == other.Path || other.Path.Length == 0 || Path.StartsWith(other.Path + "/", StringComparison.Ordinal));
}

/// <summary>Where a pointer is found: its kind's adapter, the container (settings file or the like) and the key in it.</summary>
public sealed record PointerAddress(string Kind, string Container, string Key, string Account)
{
    /// <summary>The container and key for people.</summary>
    public override string ToString() => $"{Key} in {Container}";
}

/// <summary>A pointer's raw value with its type. A null text says that the setting does not exist.</summary>
public sealed record PointerValue(string Type, string? Text)
{
    /// <summary>The setting does not exist.</summary>
    public static PointerValue Absent { get; } = new("absent", null);
}

/// <summary>A pointer as surveyed; <paramref name="Resolves"/> is the place it leads to, null when it leads nowhere known.</summary>
public sealed record PointerFacts(PointerAddress Address, PointerValue Value, Place? Resolves);

/// <summary>A holding as surveyed.</summary>
/// <param name="Place">Where its data lives; null when its pointers lead to no known volume.</param>
/// <param name="Present">Whether the folder is there.</param>
/// <param name="Files">Number of files, hidden ones included.</param>
/// <param name="DataBytes">Bytes of data: hard links once, holes not counted.</param>
/// <param name="HiddenBytes">The part of it in hidden files or folders.</param>
/// <param name="InUse">Who holds files open below it: "program (account): path".</param>
public sealed record HoldingFacts(
    HoldingName Name, Place? Place, string PathShown, bool Present, IReadOnlyList<PointerFacts> Pointers,
    long Files, long DataBytes, long HiddenBytes, IReadOnlyList<string> InUse);

/// <summary>An account of a machine.</summary>
public sealed record AccountFacts(string Name, string Id, string Home, bool Fallback, bool SignedIn);

/// <summary>An original that waits on its own volume for being discarded.</summary>
/// <param name="Docket">The docket that set it aside.</param>
/// <param name="WrittenTo">Something below it is not as it was when it was set aside.</param>
/// <param name="Recreated">Something stands again at the source.</param>
public sealed record OriginalFacts(Guid Docket, HoldingName Holding, Place Source, DateTimeOffset SetAside, long Files, long DataBytes, bool WrittenTo, bool Recreated);

/// <summary>What an agent found on its machine.</summary>
public sealed record Survey(
    DateTimeOffset TakenAt, string OperatingSystem, string AgentVersion,
    IReadOnlyList<VolumeFacts> Volumes, IReadOnlyList<AccountFacts> Accounts, IReadOnlyList<HoldingFacts> Holdings,
    IReadOnlyList<OriginalFacts> Originals, IReadOnlyList<string> Notes)
{
    /// <summary>The volume of a place, or null when it is absent.</summary>
    public VolumeFacts? VolumeOf(Place? place) => place is null ? null : Volumes.FirstOrDefault(v => v.Identity.Key == place.Volume);

    /// <summary>A place as this machine spells it.</summary>
    public string Show(Place place)
    {
        var volume = VolumeOf(place);
        if (volume is null) return $"(absent volume {place.Volume})/{place.Path}";
        var windows = volume.Root.EndsWith(':');
        var root = volume.Root == "/" ? "" : volume.Root;
        return windows ? root + "\\" + place.Path.Replace('/', '\\') : root + "/" + place.Path;
    }
}
