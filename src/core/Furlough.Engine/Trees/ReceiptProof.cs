using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>
/// Compares a tree that was used since its receipt with the list of that receipt: a file that still has the size and
/// time listed must have the content listed too. What was written, added or removed since is counted.
/// </summary>
/// <param name="listed">The receipt's list, in walking order.</param>
public sealed class ReceiptProof(IEnumerable<ManifestEntry> listed)
{
    private long _listed,
        _found;

    /// <summary>
    /// The first file whose content is another one than listed though its size and time are the same, or null.
    /// </summary>
    public string? Difference { get; private set; }

    /// <summary>Files unchanged since.</summary>
    public long Same { get; private set; }

    /// <summary>Files written or added since.</summary>
    public long Changed { get; private set; }

    /// <summary>Files listed that are not there any more; known when all present entries have passed.</summary>
    public long Missing => _listed - _found;

    /// <summary>Bytes of the files that are there.</summary>
    public long DataBytes { get; private set; }

    /// <summary>Passes the present entries on and compares them meanwhile.</summary>
    public IEnumerable<ManifestEntry> Through(IEnumerable<ManifestEntry> present)
    {
        using var list = listed.GetEnumerator();
        using var cursor = new ManifestCursor(Counted());
        foreach (var entry in present)
        {
            if (IsContent(entry))
                Compare(entry, cursor.Find(entry.Path, isFolder: false));
            yield return entry;
        }
        while (list.MoveNext())
            if (IsContent(list.Current))
                _listed++;

        IEnumerable<ManifestEntry> Counted()
        {
            while (list.MoveNext())
            {
                if (IsContent(list.Current))
                    _listed++;
                yield return list.Current;
            }
        }
    }

    private void Compare(ManifestEntry now, ManifestEntry? then)
    {
        DataBytes += now.Facts.SizeBytes;
        if (then is { } && IsContent(then))
            _found++;
        else
            then = null;
        if (
            then is null
            || (now.Facts.SizeBytes, now.Facts.ModifiedNs) != (then.Facts.SizeBytes, then.Facts.ModifiedNs)
        )
            Changed++;
        else if (now.Digest == then.Digest)
            Same++;
        else
            Difference ??=
                $"`{PathText.Show(now.Path)}` has another content than the receipt lists, though its size and time are the same";
    }

    private static bool IsContent(ManifestEntry entry) => entry.Facts.Kind == NodeKind.File && !entry.IsHardLink;
}
