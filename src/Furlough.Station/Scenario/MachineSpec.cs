using Furlough.Model;
using Furlough.Station.World;

namespace Furlough.Station;

/// <summary>A user folder as declared. Files are named after <paramref name="Stem"/> and <paramref name="Ending"/>.</summary>
public sealed record FolderSpec(string Name, int Files, int SmallFiles, long DataBytes, string Stem, string Ending)
{
    /// <summary>What its surveys say that it asks of a file system.</summary>
    public Demands Demands { get; init; } = Demands.None;
}

/// <summary>An account of a stand-in.</summary>
public sealed record AccountSpec(string Name, uint Id, bool Fallback, IReadOnlyList<FolderSpec> Folders)
{
    /// <summary>Signed in whenever it is surveyed.</summary>
    public bool SignedIn { get; init; }
}

/// <summary>A stand-in workstation as declared.</summary>
public sealed record MachineSpec(string Name, string Room, string OperatingSystem, ulong Seed, IReadOnlyList<VolumeSpec> Volumes, IReadOnlyList<AccountSpec> Accounts, IReadOnlyList<ScriptedFault> Faults)
{
    /// <summary>Somebody carries it about.</summary>
    public bool OnBattery { get; init; }
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

/// <summary>An update puts a setting back.</summary>
public sealed record DriftsBack : ScriptedFault;

/// <summary>Power goes between two pointer writes.</summary>
public sealed record PowerLoss : ScriptedFault;
