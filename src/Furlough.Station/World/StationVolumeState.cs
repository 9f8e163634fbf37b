using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>A stand-in's volume as declared.</summary>
/// <param name="Letter">Where its system shows it: a letter with a colon, or a path.</param>
/// <param name="OtherBytes">Taken by what Furlough does not manage.</param>
/// <param name="FilesPerSecond">How many small files it handles in a second.</param>
public sealed record VolumeSpec(
    string Letter,
    string Label,
    Attachment Attached,
    Medium Medium,
    string FileSystem,
    long SizeBytes,
    long OtherBytes,
    bool System,
    bool Owners,
    double BytesPerSecond,
    double FilesPerSecond
)
{
    /// <summary>Anybody can rename what stands in its root folder.</summary>
    public bool RootOpen { get; init; }
}

/// <summary>A stand-in's volume as it is.</summary>
internal sealed class StationVolumeState
{
    internal StationVolumeState(int index, VolumeSpec spec, VolumeIdentity identity)
    {
        (Index, Spec, Identity, UsedBytes) = (index, spec, identity, spec.OtherBytes);
        Root = new StationNode(index + 1, NodeKind.Folder, this) { Mode = 0x1ED };
    }

    private bool IsLettered => Spec.Letter.EndsWith(':');

    /// <summary>A path on it as its system spells it.</summary>
    internal string Spell(string path) =>
        IsLettered ? $"{Spec.Letter}\\{path.Replace('/', '\\')}" : $"{Spec.Letter.TrimEnd('/')}/{path}";

    /// <summary>The path on it that a text spells; null where it is none.</summary>
    internal string? PathOf(string text) =>
        text.Length > Spell("").Length && text.StartsWith(Spell(""), StringComparison.OrdinalIgnoreCase)
            ? text[Spell("").Length..].Replace('\\', '/')
            : null;

    internal int Index { get; }

    internal VolumeSpec Spec { get; }

    internal VolumeIdentity Identity { get; }

    internal StationNode Root { get; }

    internal long UsedBytes { get; set; }

    /// <summary>What it holds when the stand-in begins.</summary>
    internal long DeclaredUsedBytes { get; set; }

    internal long FreeBytes => Math.Max(0, Spec.SizeBytes - UsedBytes);

    internal FileSystemAbilities Abilities =>
        (Spec.FileSystem.EndsWith("-fat", StringComparison.Ordinal) ? Simple : FileSystemAbilities.Full) with
        {
            Owners = Spec.Owners,
            ExtendedAttributes = false,
            CaseSensitive = false,
            TimeStepNanoseconds = 100,
        };

    private static FileSystemAbilities Simple { get; } =
        FileSystemAbilities.Full with
        {
            Links = false,
            HardLinks = false,
            Holes = false,
            OddNames = false,
            LargestFileBytes = (4L << 30) - 1,
            ReadsPastCache = false,
        };
}
