using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>Counts what passes, for the progress that people see.</summary>
public sealed class TreeCounter
{
    private long _files;

    /// <summary>Bytes done.</summary>
    public ByteCounter Bytes { get; } = new();

    /// <summary>Files done.</summary>
    public long Files => Interlocked.Read(ref _files);

    /// <summary>One more file is done.</summary>
    public void FileDone() => Interlocked.Increment(ref _files);
}

/// <summary>
/// Copies a tree into an empty or partly filled staging tree and lists what it copied. A node is listed only after it is durable; what an
/// earlier attempt listed, and still is the same at both sides, is kept.
/// </summary>
public sealed class TreeCopy
{
    private const long BatchBytes = 128L << 20;
    private const int BatchEntries = 20_000;
    private const int Chunk = 512;
    private const int Attempts = 3;

    private readonly IVolume _targetVolume;
    private readonly IFolder _targetRoot;
    private readonly IFileHandle _manifest;
    private readonly IReadOnlyDictionary<string, ManifestEntry> _earlier;
    private readonly TreeCounter _counter;
    private readonly CancellationToken _stop;
    private readonly ParallelOptions _parallel;
    private readonly Dictionary<(ulong, ulong), string> _firstNames = [];
    private readonly List<ManifestEntry> _batch = [];
    private readonly List<string> _notes = [];
    private long _batchStart;

    private TreeCopy(IVolume targetVolume, IFolder targetRoot, IFileHandle manifest, IReadOnlyDictionary<string, ManifestEntry> earlier, int workers, TreeCounter counter, CancellationToken stop)
    {
        (_targetVolume, _targetRoot, _manifest, _earlier, _counter, _stop) = (targetVolume, targetRoot, manifest, earlier, counter, stop);
        _parallel = new ParallelOptions { MaxDegreeOfParallelism = Math.Max(1, workers), CancellationToken = stop };
    }

    /// <summary>Copies <paramref name="source"/> into <paramref name="target"/>; returns what is to be reported (pipes, sockets).</summary>
    /// <param name="targetVolume">The volume of the target, opened before the first write, so that its sync reports every error.</param>
    /// <param name="manifest">An empty file that receives the list.</param>
    /// <param name="earlier">What earlier attempts listed, by path.</param>
    /// <exception cref="Fault">The copy cannot be made; what stands in the target so far is no copy.</exception>
    public static IReadOnlyList<string> Run(IFolder source, IFolder target, IVolume targetVolume, IFileHandle manifest,
        IReadOnlyDictionary<string, ManifestEntry> earlier, int workers, TreeCounter counter, CancellationToken stop)
    {
        var copy = new TreeCopy(targetVolume, target, manifest, earlier, workers, counter, stop);
        copy.CopyFolder(source, target, "", 0);
        copy.EndBatch(end: true);
        return copy._notes;
    }

    private void CopyFolder(IFolder source, IFolder target, string path, int level)
    {
        if (level > Walk.DeepestLevel) throw Walk.TooDeep(path);
        var facts = source.Facts();
        var attributes = source.ReadAttributes();
        var (leaves, folders) = Walk.Sorted(source);
        RemoveForeign(target, leaves, folders);
        _batch.Add(new ManifestEntry(path, facts, 0, ContentDigest.Of(attributes), null));

        for (var at = 0; at < leaves.Count; at += Chunk) CopyChunk(source, target, path, leaves, at, Math.Min(Chunk, leaves.Count - at));
        foreach (var entry in folders)
        {
            _stop.ThrowIfCancellationRequested();
            using var from = source.OpenFolder(entry.Name);
            using var to = target.Find(entry.Name) is null ? target.MakeFolder(entry.Name, 0x1C0) : target.OpenFolder(entry.Name);
            CopyFolder(from, to, Walk.Join(path, entry.Name), level + 1);
        }
        target.Apply(facts, attributes);
    }

    /// <summary>A part of one folder: files with one name side by side, the rest in turn; listed in walking sequence.</summary>
    private void CopyChunk(IFolder source, IFolder target, string path, IReadOnlyList<FolderEntry> leaves, int at, int count)
    {
        var done = new ManifestEntry?[count];
        var later = new bool[count];
        try
        {
            Parallel.For(0, count, _parallel, i =>
            {
                var name = leaves[at + i].Name;
                if (source.Find(name) is { Kind: NodeKind.File, Links: 1 }) done[i] = CopyFile(source, target, name, Walk.Join(path, name));
                else later[i] = true;
            });
        }
        catch (AggregateException several)
        {
            throw several.Flatten().InnerExceptions.OfType<Fault>().FirstOrDefault() ?? several.InnerExceptions[0];
        }
        for (var i = 0; i < count; i++)
        {
            if (later[i]) done[i] = CopyOther(source, target, leaves[at + i].Name, Walk.Join(path, leaves[at + i].Name));
            if (done[i] is { } entry) _batch.Add(entry);
        }
        if (_batch.Count >= BatchEntries || _counter.Bytes.Bytes - _batchStart >= BatchBytes) EndBatch(end: false);
    }

    private ManifestEntry CopyFile(IFolder source, IFolder target, string name, string path)
    {
        using var from = source.OpenFile(name);
        for (var attempt = 1; ; attempt++)
        {
            _stop.ThrowIfCancellationRequested();
            var before = from.Facts();
            if (Kept(target, name, path, before) is { } kept) return kept;
            var attributes = from.ReadAttributes();
            UInt128 digest;
            using (var to = target.MakeFile(name))
            {
                digest = from.CopyTo(to, _counter.Bytes, _stop);
                to.Apply(before, attributes);
            }
            var after = from.Facts();
            if (Same(before, after))
            {
                _counter.FileDone();
                return new ManifestEntry(path, before, digest, ContentDigest.Of(attributes), null);
            }
            if (attempt == Attempts) throw new IoFault(IoReason.Changed, path, "it is being written to while it is copied");
            _counter.Bytes.Add(-after.SizeBytes);
        }
    }

    /// <summary>The entry of an earlier attempt when neither side has changed since; otherwise the target's name is free afterwards.</summary>
    private ManifestEntry? Kept(IFolder target, string name, string path, NodeFacts source)
    {
        if (target.Find(name) is not { } there) return null;
        if (_earlier.TryGetValue(path, out var entry) && !entry.IsHardLink && there.Kind == NodeKind.File && there.SizeBytes == source.SizeBytes
            && Same(entry.Facts, source) && entry.Facts.ChangedNs == source.ChangedNs && entry.Facts.FileId == source.FileId)
        {
            _counter.Bytes.Add(source.SizeBytes);
            _counter.FileDone();
            return entry;
        }
        Remove(target, name, there.Kind);
        return null;
    }

    private ManifestEntry? CopyOther(IFolder source, IFolder target, string name, string path)
    {
        if (source.Find(name) is not { } facts) throw new IoFault(IoReason.Changed, path, "it vanished while the folder was copied");
        switch (facts.Kind)
        {
            case NodeKind.File:
                if (!_firstNames.TryGetValue((facts.Device, facts.FileId), out var first))
                {
                    _firstNames.Add((facts.Device, facts.FileId), path);
                    return CopyFile(source, target, name, path);
                }
                if (target.Find(name) is { } old) Remove(target, name, old.Kind);
                var parts = first.Split('/');
                using (var folder = Reach.Folder(_targetRoot, parts[..^1])) target.MakeHardLink(name, folder, parts[^1]);
                _counter.FileDone();
                return new ManifestEntry(path, facts, 0, 0, first);
            case NodeKind.Link:
                if (target.Find(name) is { } there) Remove(target, name, there.Kind);
                var text = source.ReadLink(name);
                target.MakeLink(name, text);
                target.ApplyTo(name, facts);
                return new ManifestEntry(path, facts, 0, 0, text);
            case NodeKind.Fifo:
                if (target.Find(name) is { } pipe) Remove(target, name, pipe.Kind);
                target.MakeFifo(name);
                target.ApplyTo(name, facts);
                _notes.Add($"`{PathText.Show(path)}` is a named pipe: made anew at the target.");
                return new ManifestEntry(path, facts, 0, 0, null);
            case NodeKind.Socket:
                _notes.Add($"`{PathText.Show(path)}` is a socket: left out, its program makes it again.");
                return null;
            case NodeKind.Device:
                throw new Fault("device-node", $"`{PathText.Show(path)}` is a device node, which has no place in a user's folder.", "Take it away, then {retry}.");
            default:
                throw new IoFault(IoReason.Changed, path, "it became a folder while the tree was copied");
        }
    }

    /// <summary>Removes from the staging folder what an earlier attempt left and the source does not have (any more).</summary>
    private static void RemoveForeign(IFolder target, IReadOnlyList<FolderEntry> leaves, IReadOnlyList<FolderEntry> folders)
    {
        var present = target.List();
        if (present.Count == 0) return;
        var wanted = leaves.Concat(folders).ToDictionary(e => e.Name, e => e.Kind == NodeKind.Folder, StringComparer.Ordinal);
        foreach (var entry in present)
            if (!wanted.TryGetValue(entry.Name, out var folder) || folder != (entry.Kind == NodeKind.Folder)) Remove(target, entry.Name, entry.Kind);
    }

    private static void Remove(IFolder target, string name, NodeKind kind)
    {
        if (kind == NodeKind.Folder) TreeRemoval.Run(target, name, CancellationToken.None);
        else target.RemoveFile(name);
    }

    private void EndBatch(bool end)
    {
        _targetVolume.Sync();
        Manifest.Append(_manifest, _batch, end);
        _batch.Clear();
        _batchStart = _counter.Bytes.Bytes;
    }

    private static bool Same(in NodeFacts a, in NodeFacts b) => a.SizeBytes == b.SizeBytes && a.ModifiedNs == b.ModifiedNs && a.ChangedNs == b.ChangedNs;
}
