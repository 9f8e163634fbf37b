using System.Collections.Concurrent;
using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Furlough.Platform.Surveys;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>The volumes of the system whose root folder is given: its own, and what is mounted below.</summary>
internal sealed class LinuxVolumes(string root) : IVolumes
{
    private static readonly HashSet<string> Pseudo =
    [
        .. (
            "proc sysfs devtmpfs devpts cgroup cgroup2 pstore bpf tracefs debugfs securityfs configfs mqueue hugetlbfs autofs "
            + "binfmt_misc fusectl rpc_pipefs nsfs ramfs efivarfs squashfs selinuxfs fuse.portal fuse.gvfsd-fuse fuse.lxcfs"
        ).Split(' '),
    ];
    private static readonly string[] NoPlaceForData =
    [
        "/proc",
        "/sys",
        "/dev",
        "/run/",
        "/boot",
        "/tmp",
        "/var/lib/docker",
        "/snap",
    ];
    private static readonly string[] AfterSignIn = ["/media/", "/run/media/", "/run/user/", "/home/", "/mnt/auto/"];

    private readonly ConcurrentDictionary<string, string> _fileSystemIds = new();

    /// <summary>Root folder of the system, without a slash at its end; empty for "/".</summary>
    internal string Root { get; } = root.TrimEnd('/');

    public IVolume Require(VolumeIdentity identity)
    {
        List<(Mount Mount, LinuxVolume Volume)> found = [];
        foreach (var mount in Mounts())
        {
            var volume = TryOpen(mount, mark: false);
            if (volume is null)
                continue;
            if (volume.Identity.Marker == identity.Marker && identity.Marker.Length > 0)
                found.Add((mount, volume));
            else
                volume.Dispose();
        }
        var devices = found.Select(f => f.Mount.Device).Distinct().Count();
        if (found.Count > 0 && devices == 1 && found[0].Volume.Identity.FileSystemId == identity.FileSystemId)
        {
            foreach (var (_, volume) in found.Skip(1))
                volume.Dispose();
            return found[0].Volume;
        }
        foreach (var (_, volume) in found)
            volume.Dispose();
        throw NotFound(identity, found.ConvertAll(f => f.Mount), devices);
    }

    private Fault NotFound(VolumeIdentity identity, List<Mount> found, int devices) =>
        found.Count == 0 ? Faults.VolumeAbsent(identity.Key)
        : devices > 1
            ? new Fault(
                FaultKinds.VolumeTwice,
                $"Two volumes carry the identity {identity.Key}: "
                    + $"{string.Join(" and ", found.Select(f => $"`{Shown(f.Point)}`"))}; one is a copy of the other.",
                "Detach the one that is not meant."
            )
        : new Fault(
            FaultKinds.VolumeNotAsSurveyed,
            $"The volume at `{Shown(found[0].Point)}` carries our marker, but its file system is another one than surveyed.",
            ""
        );

    public string Show(Place place) =>
        TryFind(place.Volume, out var mount) is { } volume
            ? Closing(volume, Shown(mount!.Point).TrimEnd('/') + "/" + place.Path)
            : $"(absent volume {place.Volume})/{place.Path}";

    /// <summary>Opens the volume of a key; null where it is absent.</summary>
    internal LinuxVolume? TryOpenVolume(string key) => TryFind(key, out _);

    private LinuxVolume? TryFind(string key, out Mount? at)
    {
        foreach (var mount in Mounts())
        {
            var volume = TryOpen(mount, mark: false);
            at = mount;
            if (volume?.Identity.Key == key)
                return volume;
            volume?.Dispose();
        }
        at = null;
        return null;
    }

    private static string Closing(LinuxVolume volume, string shown)
    {
        volume.Dispose();
        return shown;
    }

    /// <summary>
    /// Opens the folder at a path that the system shows, step by step from the root of the volume that holds it; null
    /// when a part is missing.
    /// </summary>
    internal LinuxFolder? TryOpenFolder(string shown)
    {
        var (mount, within) = Locate(shown);
        using var volume = TryOpen(mount, mark: false) ?? throw Faults.VolumeAbsent($"that holds `{shown}`");
        using var root = volume.OpenRoot();
        return (LinuxFolder?)Reach.TryFolder(root, within.Split('/', StringSplitOptions.RemoveEmptyEntries));
    }

    /// <summary>Whether a volume is the one on which the system itself stands.</summary>
    internal bool IsSystems(string key)
    {
        using var volume = TryFind(key, out var mount);
        return mount is not null && Shown(mount.Point) == "/";
    }

    /// <summary>The host's path of a place.</summary>
    internal string HostPath(Place place) => Root + Show(place);

    /// <summary>The place of an absolute path as the system shows it, or null when its volume is unknown.</summary>
    internal Place? PlaceOf(string shown)
    {
        var (mount, within) = Locate(shown);
        using var volume = TryOpen(mount, mark: false);
        return volume is null || volume.Identity.Key.Length == 0 ? null : new Place(volume.Identity.Key, within);
    }

    private (Mount Mount, string Within) Locate(string shown)
    {
        var path = Root + shown;
        var mount = Mounts()
            .Where(m => m.Point == "/" || path == m.Point || path.StartsWith(m.Point + "/", StringComparison.Ordinal))
            .MaxBy(m => m.Point.Length)!;
        return (mount, path[(mount.Point == "/" ? 0 : mount.Point.Length)..].Trim('/'));
    }

    private static readonly DeviceStack Stack = new("/sys", MountTable.Read);

    /// <summary>The facts of every volume; writable ones get our marker, so that they are recognised again.</summary>
    internal IReadOnlyList<VolumeFacts> Survey(ICollection<string> notes)
    {
        List<VolumeFacts> facts = [];
        var startUp = new StartUpMounts(Root);
        foreach (var mount in Mounts())
        {
            LinuxVolume? volume = null;
            try
            {
                volume = TryOpen(mount, mark: true);
                if (volume is null || facts.Any(f => f.Identity == volume.Identity))
                    continue;
                var shown = Shown(mount.Point);
                var (attached, medium) = Stack.Describe(mount);
                var (size, free, cluster) = volume.Space();
                var fixedMount = IsFixed(mount, shown, attached, startUp);
                facts.Add(
                    new VolumeFacts(
                        volume.Identity,
                        Path.GetFileName(shown),
                        shown,
                        attached,
                        medium,
                        mount.FileSystem,
                        size,
                        free,
                        cluster,
                        shown == "/",
                        mount.Writable,
                        Stack.IsEncrypted(mount),
                        fixedMount,
                        volume.Abilities,
                        shown == "/" ? [] : TakenPlaces.Of(volume)
                    )
                    {
                        RootOpen = IsOpen(volume),
                    }
                );
            }
            catch (Fault fault)
            {
                notes.Add($"The volume at `{Shown(mount.Point)}` was passed over: {fault.Message}");
            }
            finally
            {
                volume?.Dispose();
            }
        }
        return facts;
    }

    /// <summary>Whether it is there before anyone signs in, by what the system says of the mount.</summary>
    private static bool IsFixed(Mount mount, string shown, Attachment attached, StartUpMounts startUp) =>
        !AfterSignIn.Any(p => shown.StartsWith(p, StringComparison.Ordinal))
        && (attached == Attachment.Internal || shown == "/" || startUp.HasByIdentity(shown, Stack.Encryption(mount)));

    /// <summary>Says how much a user may store on volumes that were found.</summary>
    internal Func<uint, IReadOnlyList<AccountQuota>> QuotasOn(IReadOnlyList<VolumeFacts> found)
    {
        var mounts = Mounts()
            .Join(found, m => Shown(m.Point), v => v.Root, (m, v) => (Mount: m, v.Identity.Key))
            .ToList();
        return user => [.. mounts.Select(m => Quotas.Of(m.Mount, m.Key, user)).OfType<AccountQuota>()];
    }

    private static bool IsOpen(LinuxVolume volume)
    {
        using var root = volume.OpenRoot();
        return volume.Abilities.Owners && !DocketFolders.IsSystems(root.Facts());
    }

    /// <summary>
    /// What is mounted at or below the root folder; the mount that holds the root folder itself stands for "/".
    /// </summary>
    private List<Mount> Mounts()
    {
        Dictionary<string, Mount> byPoint = [];
        Mount? holder = null;
        foreach (var mount in MountTable.Read())
        {
            var covers =
                mount.Point == "/"
                || Root == mount.Point
                || Root.StartsWith(mount.Point + "/", StringComparison.Ordinal);
            if (covers && (holder is null || mount.Point.Length >= holder.Point.Length))
                holder = mount;
            if (!mount.Point.StartsWith(Root + "/", StringComparison.Ordinal) || mount.Point == "/")
                continue;
            byPoint[mount.Point] = mount;
        }
        var own = holder! with
        {
            Point = Root.Length == 0 ? "/" : Root,
            SubRoot = Root.Length == 0 || holder!.Point == Root ? holder!.SubRoot : holder!.SubRoot + ":" + Root,
        };
        return [own, .. byPoint.Values.Where(IsForData).OrderBy(m => m.Point, StringComparer.Ordinal)];
    }

    private bool IsForData(Mount mount)
    {
        var shown = Shown(mount.Point);
        return !Pseudo.Contains(mount.FileSystem)
            && !NoPlaceForData.Any(p =>
                shown == p.TrimEnd('/')
                || (
                    shown.StartsWith(p.TrimEnd('/') + "/", StringComparison.Ordinal)
                    && !shown.StartsWith("/run/media/", StringComparison.Ordinal)
                )
            );
    }

    /// <summary>A path of the host as the system shows it; one outside its root folder stays.</summary>
    internal string Shown(string hostPath) =>
        hostPath == Root || Root.Length == 0 && hostPath == "/" ? "/"
        : hostPath.StartsWith(Root + "/", StringComparison.Ordinal) ? hostPath[Root.Length..]
        : hostPath;

    private LinuxVolume? TryOpen(Mount mount, bool mark)
    {
        SafeFileHandle handle;
        try
        {
            handle = Native.OpenRoot(mount.Point, Native.ReadOnly | Native.Folder | Native.NonBlocking);
        }
        catch (IoFault)
        {
            return null;
        }
        // Between the look at the list of mounts and the opening someone who owns a folder above may have put another
        // one there.
        if (Native.TryStat((int)handle.DangerousGetHandle(), "", mount.Point)?.MountId != (ulong)mount.Id)
        {
            handle.Dispose();
            return null;
        }
        var abilities = Sysfs.AbilitiesOf(mount.FileSystem);
        var folder = new LinuxFolder(handle, "", abilities);
        var marker = VolumeMark.Read(folder);
        if (marker.Length == 0 && mark && mount.Writable)
            marker = VolumeMark.Write(folder);
        return new LinuxVolume(
            new VolumeIdentity(marker, FileSystemId(mount)),
            folder,
            abilities,
            Stack.Describe(mount).Medium
        );
    }

    /// <summary>
    /// The file system's UUID where it has one; with the part of it that is mounted, where that is not all.
    /// </summary>
    private string FileSystemId(Mount mount)
    {
        var id = _fileSystemIds.GetOrAdd(string.Create(CultureInfo.InvariantCulture, $"{mount.Device} {mount.Id}"), _ =>
            mount.Source.StartsWith("/dev/", StringComparison.Ordinal)
                ? Commands.Run("blkid", ["-p", "-o", "value", "-s", "UUID", mount.Source]) ?? ""
                : ""
        );
        return id.Length == 0 ? ""
            : mount.SubRoot == "/" ? id
            : id + ":" + mount.SubRoot;
    }
}

/// <summary>One mounted volume, held open.</summary>
internal sealed unsafe class LinuxVolume(
    VolumeIdentity identity,
    LinuxFolder folder,
    FileSystemAbilities abilities,
    Medium medium
) : IVolume
{
    public VolumeIdentity Identity => identity;

    public FileSystemAbilities Abilities => abilities;

    public long FreeBytes => Space().Free;

    public int Workers => medium == Medium.Rotating ? 1 : Math.Clamp(Environment.ProcessorCount * 4, 4, 8);

    public int Readers => medium == Medium.Rotating ? 4 : 16;

    public IFolder OpenRoot() => folder.OpenFolder(".");

    /// <summary>The folder's own flush besides: a file system outside the kernel takes only that as one.</summary>
    public void Sync()
    {
        Native.Check(Native.SyncVolume(folder.Descriptor), "the volume");
        folder.Flush();
    }

    public IWriteWatch? WatchWrites() => WriteWatch.TryBegin(folder);

    public void Dispose() => folder.Dispose();

    internal ulong MountId => Native.TryStat(folder.Descriptor, "", "the volume")!.Value.MountId;

    internal (long Size, long Free, int Cluster) Space()
    {
        Native.StatFs facts;
        Native.Check(Native.StatVolume(folder.Descriptor, &facts), "the volume");
        return (
            (long)facts.Blocks * facts.FragmentSize,
            (long)facts.Available * facts.FragmentSize,
            (int)facts.FragmentSize
        );
    }
}
