using Furlough.Model;
using Furlough.Platform.Surveys;

namespace Furlough.Platform.Linux;

/// <summary>
/// The devices below a volume, down to its disks: partitions, encryption, logical volumes, arrays, images, and the
/// members of a file system that spreads over several. A volume is as loosely attached as the loosest of its disks.
/// What the kernel does not say is unknown, and nobody is notified that it is internal.
/// </summary>
/// <param name="sys">Where the kernel tells of its devices.</param>
/// <param name="mounts">Reads all mounts; asked only for an image, which lies on one of them.</param>
internal sealed class DeviceStack(string sys, Func<IReadOnlyList<Mount>> mounts)
{
    /// <summary>Deeper than any stack that someone built.</summary>
    private const int Deepest = 16;

    /// <summary>How a volume is attached, and what it is made of.</summary>
    internal (Attachment Attached, Medium Medium) Describe(Mount mount)
    {
        if (Sysfs.IsNetwork(mount.FileSystem))
            return (Attachment.Network, Medium.Unknown);
        if (mount.FileSystem is "tmpfs" or "ramfs")
            return (Attachment.Internal, Medium.Memory);
        return DisksTogether.Describe([
            .. Devices(mount).SelectMany(d => Disks(d, 0)).Distinct().Select(d => (Attached(d), MediumOf(d))),
        ]);
    }

    /// <summary>Whether everything that is written to a volume is encrypted on its way to every disk.</summary>
    internal bool IsEncrypted(Mount mount) =>
        Devices(mount).ToList() is { Count: > 0 } devices && devices.TrueForAll(d => IsEncrypted(d, 0));

    /// <summary>
    /// The names of the devices that encrypt a volume, and that have to be opened before it can be mounted.
    /// </summary>
    internal IEnumerable<string> Encryption(Mount mount) => Devices(mount).SelectMany(d => Encryption(d, 0)).Distinct();

    private static IEnumerable<string> Encryption(string device, int level)
    {
        if (level > Deepest)
            return [];
        if (Text(device, "partition") is not null)
            return Encryption(Path.GetDirectoryName(device)!, level + 1);
        var below = Slaves(device).SelectMany(s => Encryption(s, level + 1));
        return Encrypts(device) ? below.Prepend(Text(device, "dm/name") ?? "") : below;
    }

    private static bool Encrypts(string device) =>
        Text(device, "dm/uuid")?.StartsWith("CRYPT-", StringComparison.Ordinal) == true;

    private static bool IsEncrypted(string device, int level)
    {
        if (level > Deepest)
            return false;
        if (Encrypts(device))
            return true;
        if (Text(device, "partition") is not null)
            return IsEncrypted(Path.GetDirectoryName(device)!, level + 1);
        return Slaves(device).ToList() is { Count: > 0 } slaves && slaves.TrueForAll(s => IsEncrypted(s, level + 1));
    }

    /// <summary>
    /// The devices on which a file system lies: mostly one; those of its own list where it spreads over several, for
    /// which the kernel gives a number that is not a device.
    /// </summary>
    private IEnumerable<string> Devices(Mount mount)
    {
        if (Resolve($"{sys}/dev/block/{mount.Device}") is { } device)
            return [device];
        if (mount.FileSystem != "btrfs" || !Directory.Exists($"{sys}/fs/btrfs"))
            return [];
        var members = Directory
            .GetDirectories($"{sys}/fs/btrfs")
            .Select(f => Path.Combine(f, "devices"))
            .Where(Directory.Exists)
            .Select(d => Directory.GetFileSystemEntries(d))
            .FirstOrDefault(m => m.Any(e => Path.GetFileName(e) == NameOf(mount.Source)));
        return members?.Select(Resolve).OfType<string>() ?? [];
    }

    /// <summary>A device is named by its file: <c>/dev/mapper/NAME</c> is a link to what the kernel calls it.</summary>
    private static string NameOf(string source)
    {
        try
        {
            return Path.GetFileName(new FileInfo(source).ResolveLinkTarget(true)?.FullName ?? source);
        }
        catch (IOException)
        {
            return Path.GetFileName(source);
        }
    }

    private IEnumerable<string> Disks(string device, int level)
    {
        if (level > Deepest)
            return [];
        if (Text(device, "partition") is not null)
            return Disks(Path.GetDirectoryName(device)!, level + 1);
        var slaves = Slaves(device).ToList();
        if (slaves.Count > 0)
            return slaves.SelectMany(s => Disks(s, level + 1));
        if (Text(device, "loop/backing_file") is not { } image)
            return [device];
        // An image is attached as the volume is on which it lies; one on a volume without a device of its own is the
        // machine's own.
        var below = mounts()
            .Where(m => m.Point == "/" || image == m.Point || image.StartsWith(m.Point + "/", StringComparison.Ordinal))
            .MaxBy(m => m.Point.Length);
        var disks = below is null ? [] : Devices(below).SelectMany(d => Disks(d, level + 1)).ToList();
        return disks.Count > 0 ? disks : [device];
    }

    private static IEnumerable<string> Slaves(string device) =>
        Directory.Exists($"{device}/slaves")
            ? Directory.GetFileSystemEntries($"{device}/slaves").Select(Resolve).OfType<string>()
            : [];

    private Attachment Attached(string disk)
    {
        if (Text(disk, "removable") == "1" || Text(disk, "device/type") == "SD")
            return Attachment.Removable;
        var parts = disk[sys.Length..].Split('/');
        // A disk of a session or of a network block device is somewhere else.
        if (parts.Any(p => IsNumbered(p, "session") || IsNumbered(p, "nbd")) || parts.Any(p => IsNumbered(p, "rbd")))
            return Attachment.Network;
        if (
            parts.Any(p =>
                IsNumbered(p, "usb") || IsNumbered(p, "fw") || p.StartsWith("thunderbolt", StringComparison.Ordinal)
            )
        )
            return Attachment.External;
        // What hangs behind a port to the outside (as with Thunderbolt) is recognised by the devices on its way.
        for (var at = disk; at is not null && at.Length > sys.Length; at = Path.GetDirectoryName(at))
            if (Text(at, "removable") == "removable")
                return Attachment.External;
        return Attachment.Internal;
    }

    private static bool IsNumbered(string part, string word) =>
        part.Length > word.Length
        && part.StartsWith(word, StringComparison.Ordinal)
        && char.IsAsciiDigit(part[word.Length]);

    /// <summary>A virtual disk says "rotational" whatever lies below it.</summary>
    private static Medium MediumOf(string disk)
    {
        var isVirtual =
            disk.Contains("/virtual/", StringComparison.Ordinal)
            || disk.Contains("/virtio", StringComparison.Ordinal)
            || disk.Contains("/vmbus", StringComparison.Ordinal);
        return Text(disk, "queue/rotational") switch
        {
            "1" when isVirtual => Medium.Unknown,
            "1" => Medium.Rotating,
            "0" => Medium.Solid,
            _ => Medium.Unknown,
        };
    }

    private static string? Resolve(string path)
    {
        try
        {
            var found = new DirectoryInfo(path);
            return found.Exists ? found.ResolveLinkTarget(true)?.FullName ?? found.FullName : null;
        }
        catch (IOException)
        {
            return null;
        }
    }

    private static string? Text(string device, string file)
    {
        try
        {
            return File.ReadAllText(Path.Combine(device, file)).Trim();
        }
        catch (Exception none) when (none is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}
