using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>How much a tree holds.</summary>
/// <param name="Files">Everything that is not a folder.</param>
/// <param name="DataBytes">Bytes of data: each file once however many names it has, holes not counted.</param>
/// <param name="HiddenBytes">The part of it whose name or a folder above it begins with a dot.</param>
/// <param name="Demands">What it asks of the file system that stores it.</param>
/// <param name="Allocated">What it takes at some cluster sizes, in bytes.</param>
/// <param name="LastChangeNs">When a file in it was changed last, in nanoseconds since 1970; 0 for an empty
/// tree.</param>
public readonly record struct Contents(
    long Files,
    long DataBytes,
    long HiddenBytes,
    Demands Demands,
    IReadOnlyList<ClusterUse> Allocated,
    long LastChangeNs
)
{
    /// <summary>
    /// Measures a tree; folders that cannot be opened are passed over and named in <paramref name="unread"/>.
    /// </summary>
    /// <param name="shown">The tree's path, as the system shows it.</param>
    /// <param name="clusters">Cluster sizes for which the allocated bytes are wanted.</param>
    /// <param name="memory">What an earlier measuring found; folders that did not change since are not looked into
    /// again.</param>
    public static Contents Of(
        IFolder root,
        string shown,
        ICollection<string> unread,
        IReadOnlyList<int> clusters,
        TreeMemory memory,
        CancellationToken stop
    )
    {
        var total = new FolderSums("", 0, 0, clusters.Count);
        var names = new SharedNames();
        memory.Begin(clusters);
        Below(root, "", false, 0);
        if (!memory.End(names.Missing))
        {
            // A file got a further name: in a folder that was not looked into again it still counts as one with a
            // single name.
            memory.Forget();
            unread.Clear();
            return Of(root, shown, unread, clusters, memory, stop);
        }
        return new Contents(
            total.Files,
            total.DataBytes,
            total.HiddenBytes,
            total.Demands,
            [.. clusters.Select((c, i) => new ClusterUse(c, total.Allocated[i]))],
            total.LastChangeNs
        );

        void Below(IFolder folder, string path, bool isHidden, int level)
        {
            stop.ThrowIfCancellationRequested();
            var facts = folder.Facts();
            var sums = memory.Find(facts, path) ?? Look(folder, facts, path, isHidden, shown, clusters, unread, stop);
            memory.Keep(facts, sums);
            total.Add(sums, names, clusters);
            foreach (var name in sums.Folders)
            {
                if (level >= Walk.DeepestLevel)
                    continue;
                try
                {
                    using var inner = folder.OpenFolder(name);
                    Below(inner, Walk.Join(path, name), isHidden || name.StartsWith('.'), level + 1);
                }
                catch (IoFault fault)
                {
                    if (fault.Reason == IoReason.OtherVolume)
                        total.Demands = total.Demands.With(DemandSurvey.Mount(Walk.Join(path, name)));
                    unread.Add($"`{PathText.Show(Walk.Join(path, name))}`: {fault.SystemWords}");
                }
            }
        }
    }

    /// <summary>How many nodes that are no folders stand in a tree; counts no further than asked.</summary>
    public static long Count(IFolder root, long most, CancellationToken stop)
    {
        var counted = 0L;
        Below(root, 0);
        return counted;

        void Below(IFolder folder, int level)
        {
            stop.ThrowIfCancellationRequested();
            var entries = folder.List();
            counted += entries.LongCount(e => e.Kind != NodeKind.Folder);
            foreach (var entry in entries.Where(e => e.Kind == NodeKind.Folder))
            {
                if (counted >= most || level >= Walk.DeepestLevel)
                    return;
                using var inner = folder.OpenFolder(entry.Name);
                Below(inner, level + 1);
            }
        }
    }

    /// <summary>Looks at everything that stands in one folder.</summary>
    private static FolderSums Look(
        IFolder folder,
        in NodeFacts own,
        string path,
        bool isHidden,
        string shown,
        IReadOnlyList<int> clusters,
        ICollection<string> unread,
        CancellationToken stop
    )
    {
        var sums = new FolderSums(path, own.ModifiedNs, own.ChangedNs, clusters.Count);
        var demands = new DemandSurvey();
        var entries = folder.List();
        demands.Folder(path, entries);
        demands.Marks(path, own.Marks);
        foreach (var entry in entries)
        {
            stop.ThrowIfCancellationRequested();
            if (entry.Kind == NodeKind.Folder)
            {
                if (!entry.Name.StartsWith(Layout.Prefix, StringComparison.Ordinal))
                    sums.Folders.Add(entry.Name);
                continue;
            }
            try
            {
                sums.Files++;
                var found = entry.Kind is NodeKind.File or NodeKind.Link or NodeKind.Fifo
                    ? folder.Find(entry.Name)
                    : null;
                demands.Node(
                    Walk.Join(path, entry.Name),
                    entry.Kind,
                    found,
                    folder.HasAttributes(entry.Name),
                    folder.HasMoreThanIsCopied(entry.Name, entry.Kind)
                );
                if (entry.Kind == NodeKind.Link)
                    demands.Link(Walk.Join(path, entry.Name), folder.ReadLink(entry.Name), shown);
                if (found is { Kind: NodeKind.File } facts)
                    sums.File(facts, isHidden || entry.Name.StartsWith('.'), clusters);
            }
            catch (IoFault fault)
            {
                unread.Add($"`{PathText.Show(Walk.Join(path, entry.Name))}`: {fault.SystemWords}");
            }
        }
        sums.Demands = new Demands(demands.Found, demands.LargestFileBytes, demands.LongestPathBytes);
        return sums;
    }
}

/// <summary>A file with several names.</summary>
internal readonly record struct SharedFile(ulong Device, ulong Id, long Links);

/// <summary>How many names of shared files were met in a tree.</summary>
internal sealed class SharedNames
{
    private readonly Dictionary<SharedFile, long> _met = [];

    /// <summary>Counts a name; true for the first of its file.</summary>
    internal bool IsFirst(SharedFile file) => (_met[file] = _met.GetValueOrDefault(file) + 1) == 1;

    /// <summary>Files of which fewer names were met than they have: the others stand outside the tree.</summary>
    internal IReadOnlySet<SharedFile> Missing => _met.Where(m => m.Value < m.Key.Links).Select(m => m.Key).ToHashSet();
}

/// <summary>What stands in one folder, without what stands in the folders in it; or the sum of several.</summary>
internal sealed class FolderSums(string path, long modifiedNs, long changedNs, int clusters)
{
    /// <summary>Files with several names, which count once in the whole tree.</summary>
    private readonly List<(SharedFile File, long DataBytes, bool Hidden)> _shared = [];

    internal string Path => path;

    internal long ModifiedNs => modifiedNs;

    internal long ChangedNs => changedNs;

    internal long Files { get; set; }

    internal long DataBytes { get; private set; }

    internal long HiddenBytes { get; private set; }

    internal long LastChangeNs { get; private set; }

    internal long[] Allocated { get; } = new long[clusters];

    internal Demands Demands { get; set; } = Demands.None;

    /// <summary>Names of the folders in it.</summary>
    internal List<string> Folders { get; } = [];

    internal void File(in NodeFacts facts, bool hidden, IReadOnlyList<int> sizes)
    {
        LastChangeNs = Math.Max(LastChangeNs, facts.ModifiedNs);
        var bytes = Math.Min(facts.SizeBytes, facts.AllocatedBytes);
        if (facts.Links > 1)
            _shared.Add((new SharedFile(facts.Device, facts.FileId, facts.Links), bytes, hidden));
        else
            Count(bytes, hidden, sizes);
    }

    /// <summary>Adds another folder's.</summary>
    internal void Add(FolderSums other, SharedNames names, IReadOnlyList<int> sizes)
    {
        (Files, DataBytes, HiddenBytes) = (
            Files + other.Files,
            DataBytes + other.DataBytes,
            HiddenBytes + other.HiddenBytes
        );
        LastChangeNs = Math.Max(LastChangeNs, other.LastChangeNs);
        for (var i = 0; i < Allocated.Length; i++)
            Allocated[i] += other.Allocated[i];
        foreach (var (file, bytes, hidden) in other._shared)
            if (names.IsFirst(file))
                Count(bytes, hidden, sizes);
        Demands = Demands.With(other.Demands);
    }

    private void Count(long bytes, bool hidden, IReadOnlyList<int> sizes)
    {
        DataBytes += bytes;
        if (hidden)
            HiddenBytes += bytes;
        for (var i = 0; i < sizes.Count; i++)
            Allocated[i] += (bytes + sizes[i] - 1) / sizes[i] * sizes[i];
    }
}
