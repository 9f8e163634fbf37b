using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>
/// The one sequence in which trees are copied, listed and compared: a folder, then its entries that are no folders by
/// name, then its folders by name, each with what is below it. So two trees are compared while both are walked, and
/// memory does not grow with them.
/// </summary>
public static class Walk
{
    /// <summary>Deepest level that is walked; deeper trees are refused rather than exhausting handles.</summary>
    public const int DeepestLevel = 1_000;

    /// <summary>The entries of a folder in walking order.</summary>
    public static (IReadOnlyList<FolderEntry> Leaves, IReadOnlyList<FolderEntry> Folders) Sorted(IFolder folder)
    {
        List<FolderEntry> leaves = [],
            folders = [];
        foreach (var entry in folder.List())
            (entry.Kind == NodeKind.Folder ? folders : leaves).Add(entry);
        leaves.Sort(ByName);
        folders.Sort(ByName);
        return (leaves, folders);
    }

    /// <summary>The path of an entry below a folder's path.</summary>
    public static string Join(string path, string name) => path.Length == 0 ? name : path + "/" + name;

    /// <summary>Which of two paths comes first in walking order: below zero when it is <paramref name="a"/>.</summary>
    public static int Compare(string a, bool aIsFolder, string b, bool bIsFolder)
    {
        var same = a.AsSpan().CommonPrefixLength(b);
        if (same == a.Length && same == b.Length)
            return 0;
        // A folder comes before what is below it.
        if (same == a.Length && (same == 0 || b[same] == '/'))
            return -1;
        if (same == b.Length && (same == 0 || a[same] == '/'))
            return 1;
        var from = a.AsSpan(0, same).LastIndexOf('/') + 1;
        var aPart = Part(a, from);
        var bPart = Part(b, from);
        var (aIsLeaf, bIsLeaf) = (
            !aIsFolder && from + aPart.Length == a.Length,
            !bIsFolder && from + bPart.Length == b.Length
        );
        return aIsLeaf != bIsLeaf ? (aIsLeaf ? -1 : 1) : aPart.SequenceCompareTo(bPart);

        static ReadOnlySpan<char> Part(string path, int from) =>
            path.IndexOf('/', from) is var end and >= 0 ? path.AsSpan(from, end - from) : path.AsSpan(from);
    }

    /// <summary>
    /// Visits every node; <paramref name="visit"/> gets its folder (null for the root), name, path and facts.
    /// </summary>
    public static void Visit(IFolder root, Action<IFolder?, string, string, NodeFacts> visit, CancellationToken stop)
    {
        visit(null, "", "", root.Facts());
        Below(root, "", 0);

        void Below(IFolder folder, string path, int level)
        {
            if (level > DeepestLevel)
                throw TooDeep(path);
            var (leaves, folders) = Sorted(folder);
            foreach (var entry in leaves.Concat(folders))
            {
                stop.ThrowIfCancellationRequested();
                var below = Join(path, entry.Name);
                if (folder.Find(entry.Name) is not { } facts)
                    continue;
                visit(folder, entry.Name, below, facts);
                if (facts.Kind != NodeKind.Folder)
                    continue;
                using var inner = folder.OpenFolder(entry.Name);
                Below(inner, below, level + 1);
            }
        }
    }

    internal static Fault TooDeep(string path) =>
        new(
            FaultKinds.TreeTooDeep,
            $"`{PathText.Show(path[..Math.Min(path.Length, 120)])}…` lies more than {DeepestLevel} folders deep.",
            "Move that part out of the folder."
        );

    internal static Fault DeviceNode(string path) =>
        new(
            FaultKinds.DeviceNode,
            $"`{PathText.Show(path)}` is a device node, which has no place in a user's folder.",
            "Take it away."
        );

    private static int ByName(FolderEntry a, FolderEntry b) => string.CompareOrdinal(a.Name, b.Name);
}

/// <summary>Opens folders step by step from a volume's verified root (I8).</summary>
public static class Reach
{
    /// <summary>Opens the folder that contains a place.</summary>
    public static IFolder Parent(IVolume volume, Place place)
    {
        using var root = volume.OpenRoot();
        return Folder(root, place.Parts.SkipLast(1));
    }

    /// <summary>The folder that contains a place, or null when it is not there.</summary>
    public static IFolder? TryParent(IVolume volume, Place place)
    {
        using var root = volume.OpenRoot();
        return TryFolder(root, place.Parts.SkipLast(1));
    }

    /// <summary>Opens the folder at a path; every part must be a real folder on this volume.</summary>
    public static IFolder Folder(IFolder root, IEnumerable<string> parts) =>
        TryFolder(root, parts) ?? throw new IoFault(IoReason.NotFound, string.Join('/', parts), "no such folder");

    /// <summary>Opens the folder at a path, or null when a part is missing.</summary>
    public static IFolder? TryFolder(IFolder root, IEnumerable<string> parts)
    {
        IFolder? at = null;
        foreach (var part in parts)
        {
            var from = at ?? root;
            IFolder? next = null;
            try
            {
                if (from.Find(part) is not null)
                    next = from.OpenSubvolume(part);
            }
            finally
            {
                at?.Dispose();
            }
            if (next is null)
                return null;
            at = next;
        }
        return at ?? root.OpenFolder(".");
    }
}
