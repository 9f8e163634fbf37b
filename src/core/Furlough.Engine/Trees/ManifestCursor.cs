namespace Furlough.Engine.Trees;

/// <summary>
/// Looks a list's entries up while a tree is walked in the list's own sequence (<see cref="Walk"/>). Only the entry at
/// hand is kept in memory.
/// </summary>
public sealed class ManifestCursor : IDisposable
{
    private readonly IEnumerator<ManifestEntry> _entries;
    private ManifestEntry? _at;

    /// <param name="list">Entries in walking order.</param>
    public ManifestCursor(IEnumerable<ManifestEntry> list)
    {
        _entries = list.GetEnumerator();
        Advance();
    }

    /// <summary>The entry of a path, or null. Paths must be asked for in walking order.</summary>
    public ManifestEntry? Find(string path, bool isFolder)
    {
        while (_at is not null && Walk.Compare(_at.Path, _at.Facts.Kind == Ports.NodeKind.Folder, path, isFolder) < 0)
            Advance();
        return _at?.Path == path ? _at : null;
    }

    /// <inheritdoc/>
    public void Dispose() => _entries.Dispose();

    private void Advance() => _at = _entries.MoveNext() ? _entries.Current : null;
}
