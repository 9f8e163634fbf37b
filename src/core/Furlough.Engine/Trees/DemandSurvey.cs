using System.Buffers;
using System.Text;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>Collects while a tree is measured what it asks of the file system that stores it.</summary>
internal sealed class DemandSurvey
{
    private static readonly HashSet<string> DeviceNames = new(
        ["CON", "PRN", "AUX", "NUL", .. Enumerable.Range(1, 9).SelectMany(n => (string[])[$"COM{n}", $"LPT{n}"])],
        StringComparer.OrdinalIgnoreCase
    );

    private static readonly SearchValues<char> Reserved = SearchValues.Create("<>:\"\\|?*");

    private readonly Dictionary<DemandKind, Demand> _found = [];

    /// <summary>Bytes of the largest file.</summary>
    internal long LargestFileBytes { get; private set; }

    /// <summary>Bytes of the longest path below the tree's root, in UTF-8.</summary>
    internal int LongestPathBytes { get; private set; }

    internal IReadOnlyList<Demand> Found => [.. _found.Values.OrderBy(d => d.Kind)];

    /// <summary>The names in one folder.</summary>
    internal void Folder(string path, IReadOnlyList<FolderEntry> entries)
    {
        var seen = new HashSet<string>(entries.Count, StringComparer.OrdinalIgnoreCase);
        foreach (var (name, _) in entries)
        {
            if (!seen.Add(name))
                Note(DemandKind.NamesByCase, Walk.Join(path, name));
            if (!IsPlain(name))
                Note(DemandKind.OddNames, Walk.Join(path, name));
        }
    }

    /// <summary>One node.</summary>
    internal void Node(string path, NodeKind kind, in NodeFacts? facts, bool hasAttributes, bool hasMore)
    {
        LongestPathBytes = Math.Max(LongestPathBytes, Encoding.UTF8.GetByteCount(path));
        if (kind == NodeKind.Link)
            Note(DemandKind.Links, path);
        if (kind is NodeKind.Fifo or NodeKind.Socket)
            Note(DemandKind.PipesAndSockets, path);
        if (kind == NodeKind.Device)
            Note(DemandKind.DeviceNodes, path);
        if (hasAttributes)
            Note(DemandKind.Attributes, path);
        if (hasMore || kind is NodeKind.Link or NodeKind.Fifo && facts is { Links: > 1 })
            Note(DemandKind.FactsNotKept, path);
        Marks(path, facts?.Marks ?? NodeMarks.None);
        if (kind != NodeKind.File || facts is not { } file)
            return;
        LargestFileBytes = Math.Max(LargestFileBytes, file.SizeBytes);
        if (file.Links > 1)
            Note(DemandKind.HardLinks, path);
        if (file.SizeBytes - file.AllocatedBytes > 1 << 20)
            Note(DemandKind.Holes, path);
    }

    /// <summary>What keeps a node from being copied.</summary>
    internal void Marks(string path, NodeMarks marks)
    {
        if (marks == NodeMarks.None)
            return;
        if (marks.HasFlag(NodeMarks.Unchangeable))
            Note(DemandKind.Unchangeable, path);
        if (marks.HasFlag(NodeMarks.Encrypted))
            Note(DemandKind.Encrypted, path);
        if (marks.HasFlag(NodeMarks.NotHere))
            Note(DemandKind.NotHere, path);
    }

    /// <summary>A folder on which another volume is mounted, or where another part of this one begins.</summary>
    internal static Demands Mount(string path) => new([new Demand(DemandKind.Mounts, 1, PathText.Show(path))], 0, 0);

    /// <summary>
    /// One link: relative ones may lead out of the tree, absolute ones back into it by its former path.
    /// </summary>
    /// <param name="shown">The tree's own path, as the system shows it.</param>
    internal void Link(string path, string text, string shown)
    {
        if (IsWhole(text) ? PathText.IsWithin(text, shown) : LeadsOut(path, text))
            Note(DemandKind.LinksElsewhere, path);
    }

    private static bool IsWhole(string text) => text is ['/', ..] or [_, ':', '\\', ..] or ['\\', '?', '?', '\\', ..];

    private static bool LeadsOut(string path, string text)
    {
        var level = path.AsSpan().Count('/');
        foreach (var part in text.Split('/'))
        {
            level += part switch
            {
                ".." => -1,
                "." or "" => 0,
                _ => 1,
            };
            if (level < 0)
                return true;
        }
        return false;
    }

    private void Note(DemandKind kind, string path) =>
        _found[kind] = _found.TryGetValue(kind, out var known)
            ? known with
            {
                Count = known.Count + 1,
            }
            : new Demand(kind, 1, PathText.Show(path.Length == 0 ? "." : path));

    /// <summary>
    /// Names that every file system takes: text without control and reserved characters, not ending in a dot or space,
    /// no device's name.
    /// </summary>
    private static bool IsPlain(string name)
    {
        if (name.AsSpan().IndexOfAny(Reserved) >= 0 || name[^1] is '.' or ' ')
            return false;
        for (var i = 0; i < name.Length; i++)
        {
            if (name[i] < ' ' || (char.IsSurrogate(name[i]) && !IsPair(name, i) && !IsPair(name, i - 1)))
                return false;
        }
        var stem = name.IndexOf('.') is var dot and > 0 ? name[..dot] : name;
        return stem.Length is not (3 or 4) || !DeviceNames.Contains(stem);
    }

    private static bool IsPair(string name, int at) =>
        at >= 0 && at + 1 < name.Length && char.IsSurrogatePair(name[at], name[at + 1]);
}
