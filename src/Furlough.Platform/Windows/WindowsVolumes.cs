using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Furlough.Platform.Surveys;

namespace Furlough.Platform.Windows;

/// <summary>The lettered volumes of a Windows system.</summary>
internal sealed unsafe class WindowsVolumes : IVolumes
{
    private const uint Removable = 2,
        Fixed = 3,
        Remote = 4,
        Memory = 6;

    public IVolume Require(VolumeIdentity identity)
    {
        List<WindowsVolume> found = [];
        foreach (var volume in Open(mark: false))
        {
            if (volume.Identity.Marker == identity.Marker && identity.Marker.Length > 0)
                found.Add(volume);
            else
                volume.Dispose();
        }
        if (found is [var only] && only.Identity.FileSystemId == identity.FileSystemId)
            return only;
        foreach (var volume in found)
            volume.Dispose();
        throw found.Count == 0 ? Faults.VolumeAbsent(identity.Key)
        : found.Count > 1
            ? new Fault(
                FaultKinds.VolumeTwice,
                $"Two volumes carry the identity {identity.Key}: "
                    + $"{string.Join(" and ", found.Select(v => $"`{v.Letter}`"))}; one is a copy of the other.",
                "Detach the one that is not meant."
            )
        : new Fault(
            FaultKinds.VolumeNotAsSurveyed,
            $"The volume at `{found[0].Letter}` carries our marker, but its file system is another one than surveyed.",
            ""
        );
    }

    public string Show(Place place)
    {
        var path = place.Path.Replace('/', '\\');
        foreach (var volume in Open(mark: false))
            using (volume)
                if (volume.Identity.Key == place.Volume)
                    return $"{volume.Letter}\\{path}";
        return $"(absent volume {place.Volume})\\{path}";
    }

    /// <summary>The place of a whole path, or null when its volume is unknown.</summary>
    internal static Place? PlaceOf(string shown)
    {
        if (shown.Length < 3 || shown[1] != ':' || shown[2] != '\\')
            return null;
        using var volume = TryOpen(shown[..2], mark: false);
        return volume is null || volume.Identity.Key.Length == 0
            ? null
            : new Place(volume.Identity.Key, shown[3..].Trim('\\').Replace('\\', '/'));
    }

    /// <summary>Opens the volume of a key; null where it is absent.</summary>
    internal static IVolume? TryOpenVolume(string key)
    {
        WindowsVolume? found = null;
        foreach (var volume in Open(mark: false))
        {
            if (found is null && volume.Identity.Key == key)
                found = volume;
            else
                volume.Dispose();
        }
        return found;
    }

    /// <summary>
    /// Opens the folder at a place, step by step from its volume's root; null when a part is missing.
    /// </summary>
    internal static IFolder? TryOpenFolder(Place place)
    {
        using var volume = TryOpenVolume(place.Volume) ?? throw Faults.VolumeAbsent(place.Volume);
        using var root = volume.OpenRoot();
        return Reach.TryFolder(root, place.Parts);
    }

    /// <summary>The facts of every volume; writable ones get our marker, so that they are recognised again.</summary>
    internal static IReadOnlyList<VolumeFacts> Survey(List<string> notes)
    {
        var system = Environment.SystemDirectory[..2];
        List<VolumeFacts> facts = [];
        foreach (var volume in Open(mark: true))
        {
            try
            {
                if (facts.Any(f => f.Identity == volume.Identity))
                    continue;
                var (size, free, cluster) = volume.Space();
                var isSystem = string.Equals(volume.Letter, system, StringComparison.OrdinalIgnoreCase);
                var (attached, medium) = volume.Kind switch
                {
                    Removable => (Attachment.Removable, Medium.Unknown),
                    Remote => (Attachment.Network, Medium.Unknown),
                    Memory => (Attachment.Internal, Medium.Memory),
                    _ => WindowsDisks.Describe(volume.Letter),
                };
                facts.Add(
                    new VolumeFacts(
                        volume.Identity,
                        volume.Label,
                        volume.Letter,
                        attached,
                        medium,
                        volume.FileSystem,
                        size,
                        free,
                        cluster,
                        isSystem,
                        volume.Writable,
                        false,
                        volume.Kind is Fixed or Memory,
                        volume.Abilities,
                        isSystem ? [] : TakenPlaces.Of(volume)
                    )
                );
            }
            catch (Fault fault)
            {
                notes.Add($"The volume at `{volume.Letter}` was passed over: {fault.Message}");
            }
            finally
            {
                volume.Dispose();
            }
        }
        return facts;
    }

    private static IEnumerable<WindowsVolume> Open(bool mark)
    {
        var letters = Native.GetLogicalDrives();
        for (var i = 0; i < 26; i++)
            if ((letters & (1u << i)) != 0 && TryOpen($"{(char)('A' + i)}:", mark) is { } volume)
                yield return volume;
    }

    private static WindowsVolume? TryOpen(string letter, bool mark)
    {
        const int names = 261;
        const uint keepsAccess = 0x8,
            keepsLinks = 0x80,
            namesFurther = 0x400000,
            isReadOnly = 0x80000;
        var kind = Native.GetDriveTypeW(letter + "\\");
        if (kind is not (Removable or Fixed or Remote or Memory))
            return null;
        Span<char> label = stackalloc char[names],
            fileSystem = stackalloc char[names];
        uint serial,
            longest,
            flags;
        fixed (char* labelAt = label)
        fixed (char* systemAt = fileSystem)
            if (
                !Native.GetVolumeInformationW(letter + "\\", labelAt, names, &serial, &longest, &flags, systemAt, names)
            )
                return null;
        if (
            Native.TryOpen(
                0,
                $"\\??\\{letter}\\",
                WindowsFolder.OwnFolderAccess,
                Native.ShareAll,
                Native.OpenExisting,
                Native.Folder,
                out var handle
            ) != 0
            && Native.TryOpen(
                0,
                $"\\??\\{letter}\\",
                WindowsFolder.FolderAccess,
                Native.ShareAll,
                Native.OpenExisting,
                Native.Folder,
                out handle
            ) != 0
        )
            return null;
        var type = new string(fileSystem[..fileSystem.IndexOf('\0')]);
        var access = (flags & keepsAccess) != 0;
        // Names that are no text and those with reserved characters cannot be written, and names differ by more than
        // case.
        var file = new FileSystemAbilities(
            access,
            access,
            (flags & namesFurther) != 0,
            Links: (flags & keepsLinks) != 0 && !Native.IsCompatible,
            Holes: false,
            CaseSensitive: false,
            type.StartsWith("FAT", StringComparison.OrdinalIgnoreCase) ? 2_000_000_000 : 100,
            OddNames: false,
            LongestPathBytes: 32_000
        )
        {
            ReadsPastCache = !Native.IsCompatible,
        };
        var abilities = new WindowsAbilities(file, serial, KeepsCreation: !Native.IsCompatible);
        var root = new WindowsFolder(handle!, "", abilities);
        var writable = (flags & isReadOnly) == 0;
        var marker = VolumeMark.Read(root);
        if (marker.Length == 0 && mark && writable)
            marker = VolumeMark.Write(root);
        return new WindowsVolume(
            letter,
            new string(label[..label.IndexOf('\0')]),
            type,
            kind,
            writable,
            new VolumeIdentity(marker, serial == 0 ? "" : serial.ToString("X8", CultureInfo.InvariantCulture)),
            root,
            file
        );
    }
}

/// <summary>One lettered volume, held open.</summary>
internal sealed unsafe class WindowsVolume(
    string letter,
    string label,
    string fileSystem,
    uint kind,
    bool writable,
    VolumeIdentity identity,
    WindowsFolder root,
    FileSystemAbilities abilities
) : IVolume
{
    internal string Letter => letter;

    internal string Label => label;

    internal string FileSystem => fileSystem;

    internal uint Kind => kind;

    internal bool Writable => writable;

    public VolumeIdentity Identity => identity;

    public FileSystemAbilities Abilities => abilities;

    public long FreeBytes => Space().Free;

    public int Workers => 4;

    public int Readers => 8;

    public IFolder OpenRoot() => root.OpenFolder(".");

    /// <summary>
    /// Flushes the volume's journal, where the system lets the agent. The content of every file was flushed when it was
    /// written.
    /// </summary>
    public void Sync()
    {
        root.Flush();
        const uint genericReadWrite = 0xC0000000;
        if (
            Native.TryOpen(
                0,
                $"\\??\\{letter}",
                genericReadWrite,
                Native.ShareAll,
                Native.OpenExisting,
                0,
                out var volume
            ) != 0
        )
            return;
        using (volume)
        {
            Native.Status status;
            var code = Native.NtFlushBuffersFile(volume!.DangerousGetHandle(), &status);
            if (
                code
                is not (
                    Native.InvalidRequest
                    or Native.NotImplemented
                    or Native.AccessDenied
                    or Native.NotSupported
                    or Native.InvalidHandle
                )
            )
                Native.Check(code, letter);
        }
    }

    public void Dispose() => root.Dispose();

    internal (long Size, long Free, int Cluster) Space()
    {
        long available,
            size,
            free;
        uint sectors,
            bytes,
            freeClusters,
            clusters;
        if (!Native.GetDiskFreeSpaceExW(letter + "\\", &available, &size, &free))
            throw new IoFault(IoReason.Gone, letter, "its space cannot be read");
        return (
            size,
            available,
            Native.GetDiskFreeSpaceW(letter + "\\", &sectors, &bytes, &freeClusters, &clusters)
                ? (int)(sectors * bytes)
                : 4096
        );
    }
}
