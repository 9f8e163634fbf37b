using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>What is asked of every entry of a tree; a difference in words, or null.</summary>
internal interface IEntryCheck
{
    /// <summary>A folder, the tree's root among them.</summary>
    string? Folder(IFolder folder, NodeFacts facts, ManifestEntry entry);

    /// <summary>An entry that is not a folder, and may be missing. Called by several threads.</summary>
    string? Leaf(IFolder folder, string name, ManifestEntry entry);

    /// <summary>What can only be said when everything was seen.</summary>
    string? Whole();
}

/// <summary>
/// Walks a tree and its manifest in the same sequence and finds the first difference; a crew looks at the leaves.
/// </summary>
internal sealed class Comparison : IDisposable
{
    private const int PortionSize = 32;

    private readonly IEnumerator<ManifestEntry> _entries;
    private readonly IEntryCheck _check;
    private readonly TreeCounter _counter;
    private readonly CancellationToken _stop;
    private readonly Crew<Portion> _crew;
    private readonly Lock _lock = new();
    private ManifestEntry? _next;
    private long _portions;
    private (long Portion, string Text)? _first;

    private Comparison(
        IEnumerable<ManifestEntry> manifest,
        int workers,
        TreeCounter counter,
        IEntryCheck check,
        CancellationToken stop
    )
    {
        (_entries, _check, _counter, _stop) = (manifest.GetEnumerator(), check, counter, stop);
        _crew = new Crew<Portion>(workers, Look);
        Advance();
    }

    /// <summary>Compares; returns the first difference in walking order.</summary>
    internal static string? Run(
        IFolder root,
        IEnumerable<ManifestEntry> manifest,
        int workers,
        TreeCounter counter,
        IEntryCheck check,
        CancellationToken stop
    )
    {
        using var comparison = new Comparison(manifest, workers, counter, check, stop);
        if (comparison._next is null)
            return "the manifest is empty";
        using var shared = new SharedFolder(root, close: false);
        var walked = comparison.Walk(shared, "", 0);
        comparison._crew.Drain();
        if (comparison._first is { } first)
            return first.Text;
        if (walked is null && comparison._next is { } left)
            walked = $"`{PathText.Show(left.Path)}` is missing";
        return walked ?? check.Whole();
    }

    public void Dispose()
    {
        _crew.Dispose();
        _entries.Dispose();
    }

    private string? Walk(SharedFolder at, string path, int level)
    {
        if (level > Trees.Walk.DeepestLevel)
            throw Trees.Walk.TooDeep(path);
        if (Take(path) is not { } own)
            return Unexpected(path);
        if (_check.Folder(at.Folder, at.Folder.Facts(), own) is { } different)
            return Named(path, different);
        var (leaves, folders) = Trees.Walk.Sorted(at.Folder);
        if (Leaves(at, path, leaves) is { } found)
            return found;
        foreach (var entry in folders)
        {
            _stop.ThrowIfCancellationRequested();
            using var inner = new SharedFolder(at.Folder.OpenFolder(entry.Name), close: true);
            if (Walk(inner, Trees.Walk.Join(path, entry.Name), level + 1) is { } below)
                return below;
        }
        return null;
    }

    private string? Leaves(SharedFolder at, string path, IReadOnlyList<FolderEntry> leaves)
    {
        List<ManifestEntry> expected = new(PortionSize);
        foreach (var entry in leaves)
        {
            if (entry.Kind == NodeKind.Socket)
                continue;
            var below = Trees.Walk.Join(path, entry.Name);
            if (Take(below) is not { } taken)
            {
                Hand(at, expected);
                return Unexpected(below);
            }
            expected.Add(taken);
            if (expected.Count < PortionSize)
                continue;
            Hand(at, expected);
            expected = new(PortionSize);
            lock (_lock)
                if (_first is { } first)
                    return first.Text;
        }
        Hand(at, expected);
        lock (_lock)
            return _first?.Text;
    }

    private void Hand(SharedFolder at, List<ManifestEntry> expected)
    {
        if (expected.Count > 0)
            _crew.Hand(new Portion(at.Share(), expected, _portions++));
    }

    private void Look(Portion portion)
    {
        using (portion)
        {
            foreach (var entry in portion.Entries)
            {
                var name = entry.Path[(entry.Path.LastIndexOf('/') + 1)..];
                var found = _check.Leaf(portion.At.Folder, name, entry);
                _counter.FileDone();
                if (found is null)
                    continue;
                lock (_lock)
                    if (_first is null || portion.Number < _first.Value.Portion)
                        _first = (portion.Number, Named(entry.Path, found));
                return;
            }
        }
    }

    private ManifestEntry? Take(string path)
    {
        if (_next is null || _next.Path != path)
            return null;
        var taken = _next;
        Advance();
        return taken;
    }

    private void Advance() => _next = _entries.MoveNext() ? _entries.Current : null;

    private string Unexpected(string path) =>
        _next is not null && string.CompareOrdinal(_next.Path, path) < 0
            ? $"`{PathText.Show(_next.Path)}` is missing"
            : $"`{PathText.Show(path)}` was added";

    private static string Named(string path, string difference) =>
        $"`{(path.Length == 0 ? "." : PathText.Show(path))}`: {difference}";

    private sealed record Portion(SharedFolder At, IReadOnlyList<ManifestEntry> Entries, long Number) : IDisposable
    {
        public void Dispose() => At.Dispose();
    }
}
