using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>
/// Lists a tree as a copy would list it, without copying: in walking order, with digests of all contents.
/// </summary>
public sealed class TreeListing
{
    private readonly TreeCounter _counter;
    private readonly Action<string> _report;
    private readonly CancellationToken _stop;
    private readonly Dictionary<ulong, ManifestEntry> _firstNames = [];

    private TreeListing(TreeCounter counter, Action<string> report, CancellationToken stop) =>
        (_counter, _report, _stop) = (counter, report, stop);

    /// <summary>The entries of a tree that nobody works in.</summary>
    /// <param name="report">Told of what is passed over (sockets).</param>
    /// <exception cref="Fault">A device node stands in it, or something cannot be read.</exception>
    public static IEnumerable<ManifestEntry> Of(
        IFolder root,
        TreeCounter counter,
        Action<string> report,
        CancellationToken stop
    ) => new TreeListing(counter, report, stop).Below(root, "", 0);

    private IEnumerable<ManifestEntry> Below(IFolder folder, string path, int level)
    {
        if (level > Walk.DeepestLevel)
            throw Walk.TooDeep(path);
        yield return new ManifestEntry(path, folder.Facts(), 0, ContentDigest.Of(folder.ReadAttributes()), null);
        var (leaves, folders) = Walk.Sorted(folder);
        foreach (var leaf in leaves)
        {
            _stop.ThrowIfCancellationRequested();
            if (Leaf(folder, leaf, Walk.Join(path, leaf.Name)) is { } entry)
                yield return entry;
        }
        foreach (var inner in folders)
        {
            using var opened = folder.OpenFolder(inner.Name);
            foreach (var entry in Below(opened, Walk.Join(path, inner.Name), level + 1))
                yield return entry;
        }
    }

    private ManifestEntry? Leaf(IFolder folder, FolderEntry leaf, string path)
    {
        switch (leaf.Kind)
        {
            case NodeKind.File:
                return File(folder, leaf.Name, path);
            case NodeKind.Link or NodeKind.Fifo:
                return new ManifestEntry(
                    path,
                    folder.Find(leaf.Name)!.Value,
                    0,
                    0,
                    leaf.Kind == NodeKind.Link ? folder.ReadLink(leaf.Name) : null
                );
            case NodeKind.Socket:
                _report($"`{PathText.Show(path)}` is a socket; it is not listed.");
                return null;
            default:
                throw Walk.DeviceNode(path);
        }
    }

    private ManifestEntry File(IFolder folder, string name, string path)
    {
        using var file = folder.OpenFile(name);
        _counter.FileDone();
        if (file.Known.Links > 1 && _firstNames.TryGetValue(file.Known.FileId, out var first))
            return first with { Path = path, Digest = 0, AttributesDigest = 0, Link = first.Path };
        var entry = new ManifestEntry(
            path,
            file.Known,
            file.ReadBack(_counter.Bytes, _stop).Digest,
            ContentDigest.Of(file.ReadAttributes()),
            null
        );
        if (entry.Facts.Links > 1)
            _firstNames.Add(entry.Facts.FileId, entry);
        return entry;
    }
}
