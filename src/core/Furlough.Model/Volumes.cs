using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>
/// How a volume is attached to its machine; unknown where the system does not say, which counts as what can be
/// unplugged.
/// </summary>
[JsonConverter(typeof(WordConverter<Attachment>))]
public enum Attachment
{
    Internal,
    External,
    Removable,
    Network,
    Unknown,
}

/// <summary>What a volume is made of; decides how many files are copied side by side.</summary>
[JsonConverter(typeof(WordConverter<Medium>))]
public enum Medium
{
    Unknown,
    Solid,
    Rotating,
    Memory,
}

/// <summary>
/// By what a volume is known: the file system's own identity where it has one, and the marker that Furlough leaves in
/// its root. Two volumes are the same when the markers agree; the file system's identity must then agree too.
/// </summary>
/// <param name="Marker">Our marker, a UUID; empty for a volume that cannot be marked (read-only).</param>
/// <param name="FileSystemId">The UUID or serial of the file system; empty where it has none (memory, bind
/// mounts).</param>
public sealed record VolumeIdentity(string Marker, string FileSystemId)
{
    /// <summary>What places refer to.</summary>
    [JsonIgnore]
    public string Key => Marker.Length > 0 ? Marker : FileSystemId;

    /// <summary>Whether people who write a marker or a file system's UUID or serial mean this volume.</summary>
    public bool IsCalled(string text) =>
        text.Length > 0
        && (
            string.Equals(text, Marker, StringComparison.OrdinalIgnoreCase)
            || string.Equals(text, FileSystemId, StringComparison.OrdinalIgnoreCase)
        );
}

/// <summary>What a file system can keep of a file.</summary>
/// <param name="TimeStepNanoseconds">How fine modification times are.</param>
/// <param name="OddNames">Takes any name but "/"; others refuse reserved characters, device names, and names that are
/// no text.</param>
/// <param name="LargestFileBytes">Bytes of the largest file.</param>
/// <param name="LongestPathBytes">Bytes of the longest path that programs can open.</param>
public sealed record FileSystemAbilities(
    bool Owners,
    bool ExtendedAttributes,
    bool HardLinks,
    bool Links,
    bool Holes,
    bool CaseSensitive,
    int TimeStepNanoseconds,
    bool OddNames = true,
    long LargestFileBytes = long.MaxValue,
    int LongestPathBytes = 4_095
)
{
    /// <summary>What was written can be read back from the medium itself, past every cache.</summary>
    public bool ReadsPastCache { get; init; } = true;

    /// <summary>A file system that keeps everything.</summary>
    public static FileSystemAbilities Full { get; } = new(true, true, true, true, true, true, 1);
}

/// <summary>The facts of one volume as a survey found them.</summary>
/// <param name="Root">Where the system shows it: a mount point or a letter.</param>
/// <param name="SizeBytes">Size in bytes.</param>
/// <param name="FreeBytes">Free for new data, in bytes.</param>
/// <param name="ClusterBytes">Smallest unit in which files take space, in bytes.</param>
/// <param name="FixedMount">Mounted at start-up, before anybody signs in.</param>
/// <param name="Taken">Paths, up to three folders deep, at which something stands: files, and folders that are not
/// empty. Not for the system volume.</param>
public sealed record VolumeFacts(
    VolumeIdentity Identity,
    string Label,
    string Root,
    Attachment Attached,
    Medium Medium,
    string FileSystem,
    long SizeBytes,
    long FreeBytes,
    int ClusterBytes,
    bool System,
    bool Writable,
    bool Encrypted,
    bool FixedMount,
    FileSystemAbilities Abilities,
    IReadOnlyList<string> Taken
)
{
    /// <summary>
    /// Someone but the system can rename what stands in its root folder: copies and originals are safe nowhere on it.
    /// </summary>
    public bool RootOpen { get; init; }
}
