using Furlough.Engine.Ports;

namespace Furlough.Station.World;

/// <summary>
/// Files that are declared, not stored: count, sizes and times follow from a seed. A copy of a range is a range of the
/// same seed.
/// </summary>
internal sealed record FileRange(ulong Seed, int Count, string Prefix, string Ending, long MeanBytes, uint Owner)
{
    internal string NameOf(int i) => FormattableString.Invariant($"{Prefix}-{i:D6}{Ending}");

    internal int? IndexOf(string name) =>
        name.Length == Prefix.Length + 7 + Ending.Length
        && name.StartsWith(Prefix, StringComparison.Ordinal)
        && name[Prefix.Length] == '-'
        && name.EndsWith(Ending, StringComparison.Ordinal)
        && int.TryParse(name.AsSpan(Prefix.Length + 1, 6), System.Globalization.NumberStyles.None, null, out var i)
        && i < Count
            ? i
            : null;

    internal long SizeOf(int i) => MeanBytes / 2 + (long)(Mix(Seed + (ulong)i) % (ulong)Math.Max(1, MeanBytes));

    internal long ModifiedOf(int i) =>
        1_500_000_000_000_000_000 + (long)(Mix(Seed ^ (ulong)i) % 240_000_000) * 1_000_000_000;

    internal ulong ContentOf(int i) => Mix(Seed * 31 + (ulong)i);

    internal static ulong Mix(ulong x)
    {
        x += 0x9E3779B97F4A7C15;
        x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9;
        x = (x ^ (x >> 27)) * 0x94D049BB133111EB;
        return x ^ (x >> 31);
    }
}

/// <summary>One file or folder of a stand-in's volume.</summary>
internal sealed class StationNode(int id, NodeKind kind, StationVolumeState volume)
{
    private System.Collections.BitArray? _present;

    internal int Id { get; } = id;

    internal NodeKind Kind { get; } = kind;

    internal StationVolumeState Volume { get; } = volume;

    internal long SizeBytes { get; set; }

    internal long ModifiedNs { get; set; }

    internal long ChangedNs { get; set; } = 1_600_000_000_000_000_000;

    internal uint Mode { get; set; } = 0x1C0;

    internal uint Owner { get; set; }

    internal uint Group { get; set; }

    /// <summary>What a declared file's content is made from.</summary>
    internal ulong Content { get; set; }

    /// <summary>Content of Furlough's own small files: a real file's path.</summary>
    internal string? StoredAt { get; set; }

    /// <summary>Where a link leads.</summary>
    internal string? Link { get; set; }

    internal bool Unreadable { get; set; }

    internal Dictionary<string, StationNode> Children { get; } = new(StringComparer.OrdinalIgnoreCase);

    internal FileRange? Range { get; private set; }

    /// <summary>The range has changed since the log was last written.</summary>
    internal bool RangeDirty { get; set; }

    internal int RangeCount { get; private set; }

    internal void SetRange(FileRange range, bool full)
    {
        Range = range;
        _present = new System.Collections.BitArray(range.Count, full);
        RangeCount = full ? range.Count : 0;
    }

    internal bool Has(int i) => _present![i];

    /// <summary>Puts a declared file in or takes it out; the volume's use follows.</summary>
    internal void Set(int i, bool present)
    {
        if (_present![i] == present)
            return;
        _present[i] = present;
        RangeCount += present ? 1 : -1;
        Volume.UsedBytes += present ? Range!.SizeOf(i) : -Range!.SizeOf(i);
        RangeDirty = true;
    }

    /// <summary>Runs of present files: "0-99,120-130".</summary>
    internal string Runs()
    {
        List<string> runs = [];
        for (var i = 0; i < Range!.Count; i++)
        {
            if (!Has(i))
                continue;
            var start = i;
            while (i + 1 < Range.Count && Has(i + 1))
                i++;
            runs.Add(FormattableString.Invariant($"{start}-{i}"));
        }
        return string.Join(',', runs);
    }

    internal NodeFacts Facts() =>
        new(
            Kind,
            SizeBytes,
            SizeBytes,
            ModifiedNs,
            ChangedNs,
            (ulong)Volume.Index,
            (ulong)Id << 24,
            1,
            Mode,
            Owner,
            Group
        );

    internal NodeFacts FactsOf(int i)
    {
        var size = Range!.SizeOf(i);
        return new NodeFacts(
            NodeKind.File,
            size,
            size,
            Range.ModifiedOf(i),
            ChangedNs,
            (ulong)Volume.Index,
            ((ulong)Id << 24) + (ulong)i + 1,
            1,
            0x180,
            Range.Owner,
            Range.Owner
        );
    }

    /// <summary>Files and bytes below, without listing what is declared.</summary>
    internal (long Files, long Bytes) Measure()
    {
        long files = 0,
            bytes = 0;
        if (Range is { } range)
        {
            files += RangeCount;
            for (var i = 0; i < range.Count; i++)
                if (Has(i))
                    bytes += range.SizeOf(i);
        }
        foreach (var (name, child) in Children)
        {
            if (name.StartsWith(Engine.Layout.Prefix, StringComparison.Ordinal))
                continue;
            if (child.Kind != NodeKind.Folder)
                (files, bytes) = (files + 1, bytes + child.SizeBytes);
            else
            {
                var (f, b) = child.Measure();
                (files, bytes) = (files + f, bytes + b);
            }
        }
        return (files, bytes);
    }
}
