using System.Globalization;
using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>Something that holds a node of a tree: a process, or the system itself.</summary>
/// <param name="Process">Null for the system: an image that is attached as a disk, a swap file, another mount.</param>
internal sealed record TreeHolder(RunningProcess? Process, string What, string Path);

/// <summary>
/// Finds who holds files or folders of a tree. The path under which someone opened a file may be another one than the
/// tree's (a mount of a part of it elsewhere, a further name), so nodes are compared by device and number; the tree is
/// walked for that only where paths cannot tell.
/// </summary>
internal sealed unsafe class TreeUse(LinuxVolumes volumes)
{
    private readonly record struct Node(ulong Device, ulong Number);

    internal IReadOnlyList<TreeHolder> Of(Place place)
    {
        var path = volumes.HostPath(place);
        using var volume = volumes.TryOpenVolume(place.Volume);
        if (volume is null)
            return [];
        using var root = volume.OpenRoot();
        using var tree = Reach.TryFolder(root, place.Parts);
        if (tree is null)
            return [];
        var mounts = MountTable.Read();
        if (MountOf(mounts, path) is not { } own)
            return [];
        List<TreeHolder> found = [.. Mounts(own, path)];
        List<(TreeHolder Holder, Node Node)> undecided = [];
        var device = tree.Facts().Device;
        foreach (var (holder, open) in Opened().Concat(OfTheSystem()))
        {
            if (open is { } facts && Device(facts) != device)
                continue;
            if (IsWithin(holder.Path, path))
                found.Add(holder);
            else if (open is { } node && !IsElsewhere(node, holder.Path, own, mounts))
                undecided.Add((holder, new Node(device, node.Inode)));
        }
        if (undecided.Count > 0)
        {
            var inside = NumbersIn(tree, undecided.Select(u => u.Node.Number).ToHashSet());
            found.AddRange(undecided.Where(u => inside.Contains(u.Node.Number)).Select(u => u.Holder));
        }
        return [.. found.Distinct()];
    }

    /// <summary>
    /// What of these numbers stands in the tree; stops looking when all were found. What cannot be read holds nothing
    /// that could be told apart.
    /// </summary>
    private static HashSet<ulong> NumbersIn(IFolder tree, HashSet<ulong> wanted)
    {
        HashSet<ulong> found = [];
        try
        {
            Walk.Visit(
                tree,
                (_, _, _, facts) =>
                {
                    if (wanted.Contains(facts.FileId))
                        found.Add(facts.FileId);
                },
                CancellationToken.None
            );
        }
        catch (IoFault) { }
        return found;
    }

    /// <summary>
    /// Whether a node is certainly outside: its path is on the tree's own mount, leads to that very node, and is its
    /// only name.
    /// </summary>
    private static bool IsElsewhere(in Native.Statx node, string path, Mount own, IReadOnlyList<Mount> mounts)
    {
        var isFolder = (node.Mode & 0xF000) == 0x4000;
        if ((node.Links > 1 && !isFolder) || MountOf(mounts, path)?.Id != own.Id)
            return false;
        return Stat(path) is { } there && there.Inode == node.Inode && Device(there) == Device(node);
    }

    /// <summary>Parts of the tree that are mounted elsewhere, in any process's view.</summary>
    private static IEnumerable<TreeHolder> Mounts(Mount own, string path)
    {
        var inFileSystem = (own.SubRoot.TrimEnd('/') + path[(own.Point == "/" ? 0 : own.Point.Length)..]).TrimEnd('/');
        HashSet<string> views = [];
        foreach (var process in Processes.All())
        {
            if (Processes.Link($"/proc/{process.Id}/ns/mnt") is not { } view || !views.Add(view))
                continue;
            foreach (var mount in MountTable.TryRead(process.Id))
                // What is mounted inside the tree itself stops the copy, which says so.
                if (mount.Device == own.Device && IsWithin(mount.SubRoot, inFileSystem) && !IsWithin(mount.Point, path))
                    yield return new TreeHolder(null, "a part of it is mounted at", mount.Point);
        }
    }

    /// <summary>
    /// Everything that is open, mapped, worked in, attached as a disk or used for swapping. Without facts where only a
    /// path is known.
    /// </summary>
    private static IEnumerable<(TreeHolder, Native.Statx?)> Opened()
    {
        Dictionary<string, Native.Statx?> mapped = [];
        foreach (var process in Processes.All().Where(p => !p.IsThisProgram()))
        {
            HashSet<string> seen = [];
            foreach (var link in Links(process.Id))
            {
                if (Processes.Link(link) is not { } path || !path.StartsWith('/') || !seen.Add(path))
                    continue;
                if (Stat(link, follow: true) is { } facts)
                    yield return (new TreeHolder(process, "", Undeleted(path)), facts);
            }
            foreach (var (link, file, path) in Maps(process.Id))
            {
                if (!seen.Add(path))
                    continue;
                // Most programs have the same files mapped: each is looked at once.
                if (!mapped.TryGetValue(file, out var facts))
                    mapped[file] = facts = Stat(link, follow: true);
                if (facts is not null)
                    yield return (new TreeHolder(process, "", Undeleted(path)), facts);
            }
        }
    }

    private static IEnumerable<(TreeHolder, Native.Statx?)> OfTheSystem()
    {
        foreach (var (device, path) in Images())
            yield return (new TreeHolder(null, $"attached as {device}", path), Stat(path, follow: true));
        foreach (var path in Swaps())
            yield return (new TreeHolder(null, "used for swapping", path), Stat(path, follow: true));
    }

    private static IEnumerable<string> Links(int process)
    {
        foreach (var single in (string[])["cwd", "exe", "root"])
            yield return $"/proc/{process}/{single}";
        string[] links = [];
        try
        {
            links = Directory.GetFileSystemEntries($"/proc/{process}/fd");
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException) { }
        foreach (var link in links)
            yield return link;
    }

    /// <summary>
    /// The files that a process has mapped: the kernel's link to each, its device and number as text, and its path.
    /// </summary>
    private static IEnumerable<(string Link, string File, string Path)> Maps(int process)
    {
        string[] lines = [];
        try
        {
            lines = File.ReadAllLines($"/proc/{process}/maps");
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException) { }
        foreach (var line in lines)
        {
            // Range, rights, offset, device, number, path.
            if (
                line.IndexOf('/') is var at and > 0
                && line[..at].Split(' ', StringSplitOptions.RemoveEmptyEntries)
                    is [var range, _, _, var device, var number]
            )
                yield return ($"/proc/{process}/map_files/{range}", $"{device} {number}", line[at..]);
        }
    }

    private static IEnumerable<(string Device, string Path)> Images()
    {
        const string devices = "/sys/block";
        if (!Directory.Exists(devices))
            yield break;
        foreach (var device in Directory.GetDirectories(devices, "loop*"))
        {
            string? path = null;
            try
            {
                path = File.ReadAllText($"{device}/loop/backing_file").TrimEnd('\n');
            }
            catch (Exception none) when (none is IOException or UnauthorizedAccessException) { }
            if (path is not null)
                yield return ($"/dev/{Path.GetFileName(device)}", Undeleted(path));
        }
    }

    private static IEnumerable<string> Swaps()
    {
        string[] lines = [];
        try
        {
            lines = File.ReadAllLines("/proc/swaps");
        }
        catch (Exception none) when (none is IOException or UnauthorizedAccessException) { }
        return lines.Skip(1).Select(l => MountTable.Unescape(l.Split(' ', '\t')[0]));
    }

    private static string Undeleted(string path) =>
        path.EndsWith(" (deleted)", StringComparison.Ordinal) ? path[..^" (deleted)".Length] : path;

    private static bool IsWithin(string path, string folder) =>
        path == folder || (path.StartsWith(folder, StringComparison.Ordinal) && path[folder.Length] == '/');

    private static Mount? MountOf(IReadOnlyList<Mount> mounts, string path) =>
        mounts.Where(m => m.Point == "/" || IsWithin(path, m.Point)).OrderBy(m => m.Point.Length).LastOrDefault();

    private static ulong Device(in Native.Statx facts) => ((ulong)facts.DeviceMajor << 32) | facts.DeviceMinor;

    private static Native.Statx? Stat(string path, bool follow = false)
    {
        const int noFollow = 0x100,
            noAutomount = 0x800;
        const uint basic = 0x7ff;
        Native.Statx facts;
        fixed (byte* bytes = LinuxName.ToBytes(path))
            return
                Native.StatxAt(Native.AtCurrentFolder, bytes, noAutomount | (follow ? 0 : noFollow), basic, &facts) == 0
                ? facts
                : null;
    }
}
