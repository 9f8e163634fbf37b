using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>Counts what passes, for the progress that people see.</summary>
/// <param name="passing">Told of all bytes and files as they pass; see <see cref="ByteCounter"/>.</param>
public sealed class TreeCounter(Action<long>? passing = null)
{
    private long _files;

    /// <summary>Bytes done.</summary>
    public ByteCounter Bytes { get; } = new(passing);

    /// <summary>Files done.</summary>
    public long Files => Interlocked.Read(ref _files);

    /// <summary>One more file is done.</summary>
    public void FileDone() => Interlocked.Increment(ref _files);
}

/// <summary>What a copy is made with.</summary>
/// <param name="TargetVolume">The volume of the target, opened before the first write, so that its sync reports every
/// error.</param>
/// <param name="Manifest">An empty file that receives the list.</param>
/// <param name="Earlier">What earlier attempts listed, the newest first.</param>
/// <param name="InUse">People go on working in the source: what vanishes or keeps changing is left for the
/// catch-up.</param>
public sealed record CopyOrder(
    IVolume TargetVolume,
    IFileHandle Manifest,
    IReadOnlyList<ManifestCursor> Earlier,
    int Workers,
    bool InUse
)
{
    /// <summary>
    /// When the source was flushed before the copy, in nanoseconds since 1970. What was changed later may be changed
    /// again without its change time showing it.
    /// </summary>
    public long FlushedNs { get; init; } = long.MinValue;

    /// <summary>
    /// Whether what an earlier attempt copied of a file must be compared by content although its times are the same.
    /// </summary>
    public Func<NodeFacts, bool> Doubts { get; init; } = _ => false;
}

/// <summary>
/// Copies a tree into an empty or partly filled staging tree and lists what it copied. A node is listed only after it
/// is durable; what an earlier attempt listed, and still is the same at both sides, is kept.
/// </summary>
public sealed class TreeCopy : IDisposable
{
    private const long BatchBytes = 128L << 20;
    private const int BatchEntries = 20_000;
    private const int PortionSize = 256; // mostly a folder each: two who make files in one folder wait for each other
    private const int Attempts = 3;

    /// <summary>Systems stamp changes in ticks of some milliseconds.</summary>
    private const long TickNs = 10_000_000;

    private readonly CopyOrder _order;
    private readonly IFolder _targetRoot;
    private readonly TreeCounter _counter;
    private readonly CancellationToken _stop;
    private readonly Crew<Portion> _crew;

    // Several threads, each under the lock.
    private readonly Lock _linked = new();
    private readonly Dictionary<(ulong, ulong), ManifestEntry> _firstNames = [];

    // The walker alone.
    private readonly List<string> _notes = [];
    private List<ManifestEntry?[]> _batch = [];
    private int _batchEntries;
    private long _batchStart;
    private Task _listing = Task.CompletedTask;

    private TreeCopy(IFolder targetRoot, CopyOrder order, TreeCounter counter, CancellationToken stop)
    {
        (_targetRoot, _order, _counter, _stop) = (targetRoot, order, counter, stop);
        _crew = new Crew<Portion>(order.Workers, CopyPortion);
    }

    /// <summary>
    /// Copies <paramref name="source"/> into <paramref name="target"/>; returns what is to be reported (pipes,
    /// sockets).
    /// </summary>
    /// <exception cref="Fault">The copy cannot be made; what stands in the target so far is not a copy.</exception>
    public static IReadOnlyList<string> Run(
        IFolder source,
        IFolder target,
        CopyOrder order,
        TreeCounter counter,
        CancellationToken stop
    )
    {
        using var copy = new TreeCopy(target, order, counter, stop);
        using (var pair = new FolderPair(source, target, close: false, fresh: false))
            copy.CopyFolder(pair, "", 0);
        copy.EndBatch(end: true);
        copy.AwaitListing();
        return copy._notes;
    }

    /// <summary>Waits for anyone who still works for this copy.</summary>
    public void Dispose()
    {
        _crew.Dispose();
        try
        {
            AwaitListing();
        }
        catch (Fault) when (_listing.IsFaulted) { }
    }

    private void CopyFolder(FolderPair at, string path, int level)
    {
        if (level > Walk.DeepestLevel)
            throw Walk.TooDeep(path);
        var (leaves, folders) = Walk.Sorted(at.Source);
        if (!at.Fresh)
            RemoveForeign(at.Target, leaves, folders);
        RequireKept(at.Facts, path);
        Append([new ManifestEntry(path, at.Facts, 0, ContentDigest.Of(at.Attributes), null)]);

        for (var from = 0; from < leaves.Count; from += PortionSize)
            HandPortion(at, path, leaves, from, Math.Min(PortionSize, leaves.Count - from));
        foreach (var entry in folders)
        {
            _stop.ThrowIfCancellationRequested();
            if (OpenIfThere(at, entry.Name) is not { } source)
                continue;
            var fresh = at.Fresh || at.Target.Find(entry.Name) is null;
            using var pair = new FolderPair(
                source,
                fresh ? at.Target.MakeFolder(entry.Name, 0x1C0) : at.Target.OpenFolder(entry.Name),
                close: true,
                fresh
            );
            CopyFolder(pair, Walk.Join(path, entry.Name), level + 1);
        }
        at.Walked();
    }

    /// <summary>A part of one folder: files by the crew, the rest here; listed in walking order.</summary>
    private void HandPortion(FolderPair at, string path, IReadOnlyList<FolderEntry> leaves, int from, int count)
    {
        var done = new ManifestEntry?[count];
        List<(int, string, ManifestEntry?)> files = new(count);
        for (var i = 0; i < count; i++)
        {
            var entry = leaves[from + i];
            if (entry.Kind == NodeKind.File)
                files.Add((i, entry.Name, at.Fresh ? null : Earlier(Walk.Join(path, entry.Name))));
            else
                done[i] = OrLeave(at, entry.Name, Walk.Join(path, entry.Name), CopyOther);
        }
        Append(done);
        if (files.Count > 0)
            _crew.Hand(new Portion(at.Share(), path, files, done));
        if (_batchEntries >= BatchEntries || _counter.Bytes.Bytes - _batchStart >= BatchBytes)
            EndBatch(end: false);
    }

    /// <summary>What an earlier attempt listed for a file; asked in walking order.</summary>
    private ManifestEntry? Earlier(string path)
    {
        foreach (var list in _order.Earlier)
            if (list.Find(path, isFolder: false) is { } entry)
                return entry;
        return null;
    }

    private void CopyPortion(Portion portion)
    {
        using (portion)
        {
            foreach (var (i, name, earlier) in portion.Files)
                portion.Done[i] = OrLeave(portion.At, name, Walk.Join(portion.Path, name), (at, n, path) =>
                    CopyFile(at, n, path, earlier)
                );
        }
    }

    /// <summary>The folder to be copied, or null when people took it away meanwhile.</summary>
    private IFolder? OpenIfThere(FolderPair at, string name)
    {
        try
        {
            return at.Source.OpenFolder(name);
        }
        catch (IoFault gone) when (IsPeoplesWork(gone))
        {
            MakeRoom(at.Target, name);
            return null;
        }
    }

    /// <summary>With people at work a node may vanish or become another kind between two looks.</summary>
    private bool IsPeoplesWork(IoFault fault) =>
        _order.InUse
        && fault.Reason
            is IoReason.NotFound
                or IoReason.NotAFolder
                or IoReason.BehindLink
                or IoReason.NotSupported
                or IoReason.Changed;

    /// <summary>The entry of what was copied; null when it is left out, now or until the catch-up.</summary>
    private ManifestEntry? OrLeave(
        FolderPair at,
        string name,
        string path,
        Func<FolderPair, string, string, ManifestEntry?> copy
    )
    {
        try
        {
            return copy(at, name, path);
        }
        catch (IoFault fault) when (IsPeoplesWork(fault))
        {
            MakeRoom(at.Target, name);
            return null;
        }
    }

    private ManifestEntry CopyFile(FolderPair at, string name, string path, ManifestEntry? earlier)
    {
        using var from = at.Source.OpenFile(name);
        var facts = from.Known;
        RequireKept(facts, path);
        if (facts.Links <= 1)
            return CopyContent(at, from, facts, name, path, earlier);
        lock (_linked)
        {
            if (!_firstNames.TryGetValue((facts.Device, facts.FileId), out var first))
            {
                var entry = CopyContent(at, from, facts, name, path, earlier);
                _firstNames.Add((facts.Device, facts.FileId), entry);
                return entry;
            }
            MakeRoom(at.Target, name);
            var parts = first.Path.Split('/');
            using (var folder = Reach.Folder(_targetRoot, parts[..^1]))
                at.Target.MakeHardLink(name, folder, parts[^1]);
            _counter.FileDone();
            return first with { Path = path, Digest = 0, AttributesDigest = 0, Link = first.Path };
        }
    }

    private ManifestEntry CopyContent(
        FolderPair at,
        IFileHandle from,
        NodeFacts before,
        string name,
        string path,
        ManifestEntry? earlier
    )
    {
        if (!at.Fresh && Kept(at.Target, from, name, before, earlier) is { } kept)
            return kept;
        for (var attempt = 1; ; attempt++)
        {
            _stop.ThrowIfCancellationRequested();
            var attributes = from.ReadAttributes();
            UInt128 digest;
            using (var to = at.Target.MakeFile(name))
            {
                digest = from.CopyTo(to, _counter.Bytes, _stop);
                to.Apply(before, attributes);
            }
            var after = from.Facts();
            if (Same(before, after))
            {
                _counter.FileDone();
                return new ManifestEntry(path, after, digest, ContentDigest.Of(attributes), null).Doubted(
                    !IsSettled(after)
                );
            }
            if (attempt == Attempts)
                throw new IoFault(IoReason.Changed, path, "it is being written to while it is copied");
            _counter.Bytes.Skip(-after.SizeBytes);
            at.Target.RemoveFile(name);
            before = after;
        }
    }

    /// <summary>
    /// Whether a later change would show in the facts: nothing of the file was written since the source was flushed, so
    /// that the next write to any of its pages sets its change time. Otherwise the catch-up compares the contents.
    /// </summary>
    private bool IsSettled(in NodeFacts facts) => !_order.InUse || ShowsNextWrite(facts, _order.FlushedNs);

    /// <summary>
    /// Whether the next write to a file would set its change time: nothing of it was written since the flush, given in
    /// nanoseconds since 1970.
    /// </summary>
    internal static bool ShowsNextWrite(in NodeFacts facts, long flushedNs) => facts.ChangedNs < flushedNs - TickNs;

    /// <summary>
    /// The entry of an earlier attempt when neither side has changed since; otherwise the target's name is free
    /// afterwards.
    /// </summary>
    private ManifestEntry? Kept(IFolder target, IFileHandle from, string name, NodeFacts source, ManifestEntry? earlier)
    {
        if (target.Find(name) is not { } there)
            return null;
        var entry = earlier?.Doubted(false);
        if (
            entry is { IsHardLink: false }
            && there.Kind == NodeKind.File
            && there.SizeBytes == source.SizeBytes
            && Same(entry.Facts, source)
            && entry.Facts.FileId == source.FileId
            && HasContent(from, source, entry, earlier!.IsDoubtful)
        )
        {
            _counter.FileDone();
            return entry.Doubted(!IsSettled(source));
        }
        Remove(target, name, there.Kind);
        return null;
    }

    /// <summary>
    /// Whether a file whose times are those of an earlier entry has its content too; read only where the times cannot
    /// tell.
    /// </summary>
    private bool HasContent(IFileHandle from, in NodeFacts source, ManifestEntry entry, bool isDoubtful)
    {
        if (!isDoubtful && !_order.Doubts(source))
        {
            _counter.Bytes.Skip(source.SizeBytes);
            return true;
        }
        var counted = _counter.Bytes.Bytes;
        if (from.Digest(_counter.Bytes, _stop) == entry.Digest && Same(from.Facts(), source))
            return true;
        _counter.Bytes.Skip(counted - _counter.Bytes.Bytes);
        return false;
    }

    private ManifestEntry? CopyOther(FolderPair at, string name, string path)
    {
        if (at.Source.Find(name) is not { } facts)
            throw new IoFault(IoReason.Changed, path, "it vanished while the folder was copied");
        RequireKept(facts, path);
        NoteSeveralNames(facts, path);
        switch (facts.Kind)
        {
            case NodeKind.Link:
                MakeRoom(at.Target, name);
                var text = at.Source.ReadLink(name);
                at.Target.MakeLink(name, text);
                at.Target.ApplyTo(name, facts);
                return new ManifestEntry(path, facts, 0, 0, text);
            case NodeKind.Fifo:
                MakeRoom(at.Target, name);
                at.Target.MakeFifo(name);
                at.Target.ApplyTo(name, facts);
                _notes.Add($"`{PathText.Show(path)}` is a named pipe: created again at the target.");
                return new ManifestEntry(path, facts, 0, 0, null);
            case NodeKind.Socket:
                _notes.Add($"`{PathText.Show(path)}` is a socket: left out, its program makes it again.");
                return null;
            case NodeKind.Device:
                throw Walk.DeviceNode(path);
            default:
                throw new IoFault(IoReason.Changed, path, "it became something else while the tree was copied");
        }
    }

    private void NoteSeveralNames(NodeFacts facts, string path)
    {
        if (facts.Links > 1 && facts.Kind is NodeKind.Link or NodeKind.Fifo)
            _notes.Add(
                $"`{PathText.Show(path)}` is a {facts.Kind.Word()} with {facts.Links} names: each of them is one of its own at the target."
            );
    }

    /// <summary>
    /// Refuses what would come out as something else. A time beyond what is reckoned with (the years 1677 to 2262)
    /// would be another one.
    /// </summary>
    private static void RequireKept(in NodeFacts facts, string path)
    {
        var shown = PathText.Show(path.Length == 0 ? "." : path);
        if (facts.ModifiedNs is long.MaxValue or long.MinValue)
            throw new Fault(
                FaultKinds.TimeNotKept,
                $"`{shown}` was last changed, it says, before 1677 or after 2262: such a time cannot be kept.",
                "Give it another time (`touch`)."
            );
        if (facts.Marks == NodeMarks.None)
            return;
        var (why, remedy) =
            facts.Marks.HasFlag(NodeMarks.NotHere)
                ? (
                    "is not stored here as a whole: its content is in the cloud or in a store of its own",
                    "Have it stored here as an ordinary file"
                )
            : facts.Marks.HasFlag(NodeMarks.Encrypted)
                ? (
                    "is encrypted by the file system, and its copy would not be",
                    "Have its owner take the encryption away"
                )
            : ("is marked so that nobody can change it", "Take the mark away (`chattr -i -a`)");
        throw new Fault(FaultKinds.CannotBeCopied, $"`{shown}` {why}.", $"{remedy}, or take it out of the folder.");
    }

    /// <summary>
    /// Removes from the staging folder what an earlier attempt left and the source does not have (any more).
    /// </summary>
    private static void RemoveForeign(
        IFolder target,
        IReadOnlyList<FolderEntry> leaves,
        IReadOnlyList<FolderEntry> folders
    )
    {
        var present = target.List();
        if (present.Count == 0)
            return;
        var wanted = leaves
            .Concat(folders)
            .ToDictionary(e => e.Name, e => e.Kind == NodeKind.Folder, StringComparer.Ordinal);
        foreach (var entry in present)
            if (!wanted.TryGetValue(entry.Name, out var folder) || folder != (entry.Kind == NodeKind.Folder))
                Remove(target, entry.Name, entry.Kind);
    }

    private static void MakeRoom(IFolder target, string name)
    {
        if (target.Find(name) is { } there)
            Remove(target, name, there.Kind);
    }

    private static void Remove(IFolder target, string name, NodeKind kind)
    {
        if (kind == NodeKind.Folder)
            TreeRemoval.Run(target, name, CancellationToken.None);
        else
            target.RemoveFile(name);
    }

    private void Append(ManifestEntry?[] entries)
    {
        _batch.Add(entries);
        _batchEntries += entries.Length;
    }

    /// <summary>Lists what has been copied so far, once it is durable, while the next batch is being copied.</summary>
    private void EndBatch(bool end)
    {
        _crew.Drain();
        AwaitListing();
        var batch = _batch;
        _batch = [];
        _batchEntries = 0;
        _batchStart = _counter.Bytes.Bytes;
        if (_crew.IsAlone)
            List();
        else
            _listing = Task.Run(List, CancellationToken.None);

        void List()
        {
            _order.TargetVolume.Sync();
            Manifest.Append(_order.Manifest, batch.SelectMany(b => b).OfType<ManifestEntry>(), end);
        }
    }

    private void AwaitListing() => _listing.GetAwaiter().GetResult();

    private static bool Same(in NodeFacts a, in NodeFacts b) =>
        a.SizeBytes == b.SizeBytes && a.ModifiedNs == b.ModifiedNs && a.ChangedNs == b.ChangedNs;

    /// <summary>Some files of one folder; <paramref name="Done"/> gets their entries at the indexes given.</summary>
    private sealed record Portion(
        FolderPair At,
        string Path,
        IReadOnlyList<(int Index, string Name, ManifestEntry? Earlier)> Files,
        ManifestEntry?[] Done
    ) : IDisposable
    {
        public void Dispose() => At.Dispose();
    }

    /// <summary>
    /// A folder at both sides. When it has been walked and its last file is copied, it gets its own facts and is
    /// closed.
    /// </summary>
    private sealed class FolderPair(IFolder source, IFolder target, bool close, bool fresh) : IDisposable
    {
        private int _holders = 1;
        private volatile bool _walked;

        internal IFolder Source => source;

        internal IFolder Target => target;

        /// <summary>The target was made by this attempt: nothing stands in it.</summary>
        internal bool Fresh => fresh;

        internal NodeFacts Facts { get; } = source.Facts();

        internal Attributes Attributes { get; } = source.ReadAttributes();

        internal FolderPair Share()
        {
            Interlocked.Increment(ref _holders);
            return this;
        }

        internal void Walked() => _walked = true;

        public void Dispose()
        {
            if (Interlocked.Decrement(ref _holders) > 0)
                return;
            try
            {
                if (_walked)
                    target.Apply(Facts, Attributes);
            }
            finally
            {
                if (close)
                {
                    source.Dispose();
                    target.Dispose();
                }
            }
        }
    }
}
