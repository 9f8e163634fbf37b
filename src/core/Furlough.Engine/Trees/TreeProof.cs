using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>What a comparison found: the first difference, or none.</summary>
public sealed record ProofResult(string? Difference, long Files, long BytesRead, bool FromMedium);

/// <summary>Compares trees with the manifest of what was copied.</summary>
public static class TreeProof
{
    /// <summary>Reads a copy back and compares everything that the volume can store with the manifest.</summary>
    public static ProofResult Copy(
        IFolder root,
        IEnumerable<ManifestEntry> manifest,
        IVolume volume,
        TreeCounter counter,
        CancellationToken stop
    )
    {
        var check = new CopyCheck(volume.Abilities, counter, stop);
        var difference = Comparison.Run(root, manifest, volume.Readers, counter, check, stop);
        return new ProofResult(difference, counter.Files, check.BytesRead, check.FromMedium);
    }

    /// <summary>
    /// Compares a source or original with the manifest by what the file system says: kind, size, times, identity. Reads
    /// no content.
    /// </summary>
    public static ProofResult Unchanged(
        IFolder root,
        IEnumerable<ManifestEntry> manifest,
        int workers,
        CancellationToken stop
    )
    {
        var counter = new TreeCounter();
        return new ProofResult(
            Comparison.Run(root, manifest, workers, counter, new SourceCheck(), stop),
            counter.Files,
            0,
            true
        );
    }

    /// <summary>
    /// In what a tree differs from a list, as far as it shows without reading contents: names, sizes and times of what
    /// is not a folder.
    /// </summary>
    internal static IReadOnlyList<string> Differences(
        IFolder root,
        IEnumerable<ManifestEntry> listed,
        CancellationToken stop
    )
    {
        var wanted = listed
            .Where(e => e.Facts.Kind != NodeKind.Folder)
            .ToDictionary(e => e.Path, e => e.Facts, StringComparer.Ordinal);
        List<string> found = [];
        Walk.Visit(
            root,
            (_, _, path, now) =>
            {
                if (now.Kind is NodeKind.Folder or NodeKind.Socket)
                    return;
                if (!wanted.Remove(path, out var then))
                    found.Add($"`{PathText.Show(path)}` is only there");
                else if (now.Kind != then.Kind)
                    found.Add(
                        $"`{PathText.Show(path)}` is a {now.Kind.Word()} there and a {then.Kind.Word()} at the source"
                    );
                else if (now.Kind == NodeKind.File && now.SizeBytes != then.SizeBytes)
                    found.Add(
                        $"`{PathText.Show(path)}` has {now.SizeBytes} bytes there and {then.SizeBytes} at the source"
                    );
                else if (now.ModifiedNs != then.ModifiedNs)
                    found.Add($"`{PathText.Show(path)}` has another modification time there");
            },
            stop
        );
        return [.. found, .. wanted.Keys.Select(path => $"`{PathText.Show(path)}` is only at the source")];
    }

    /// <summary>
    /// What of a tree is neither gone nor as it was; null when everything left is. For an original whose removal was
    /// begun: removing changes the times of folders and of further names.
    /// </summary>
    public static string? NotLeftOver(IFolder root, IEnumerable<ManifestEntry> manifest, CancellationToken stop)
    {
        var known = manifest.ToDictionary(e => e.Path, e => e.Facts, StringComparer.Ordinal);
        string? found = null;
        Walk.Visit(
            root,
            (_, _, path, now) =>
            {
                if (found is not null || now.Kind == NodeKind.Socket)
                    return;
                if (!known.TryGetValue(path, out var then))
                    found = $"`{PathText.Show(path)}` was added";
                else if (now.Kind != then.Kind || now.FileId != then.FileId)
                    found = $"`{PathText.Show(path)}` was replaced";
                else if (
                    now.Kind == NodeKind.File
                    && (now.SizeBytes, now.ModifiedNs) != (then.SizeBytes, then.ModifiedNs)
                )
                    found = $"`{PathText.Show(path)}` was written to";
            },
            stop
        );
        return found;
    }

    /// <summary>A copy against what was copied.</summary>
    private sealed class CopyCheck(FileSystemAbilities able, TreeCounter counter, CancellationToken stop) : IEntryCheck
    {
        private readonly Lock _lock = new();
        private readonly Dictionary<string, ulong> _firstNames = new(StringComparer.Ordinal);
        private readonly List<(ManifestEntry Entry, ulong FileId)> _furtherNames = [];
        private long _bytesRead;
        private volatile bool _fromCache;

        internal long BytesRead => Interlocked.Read(ref _bytesRead);

        internal bool FromMedium => !_fromCache;

        public string? Folder(IFolder folder, NodeFacts facts, ManifestEntry entry) =>
            Facts(facts, entry)
            ?? (
                able.ExtendedAttributes && ContentDigest.Of(folder.ReadAttributes()) != entry.AttributesDigest
                    ? "its extended attributes differ"
                    : null
            );

        public string? Leaf(IFolder folder, string name, ManifestEntry entry)
        {
            var readBack = entry.Facts.Kind == NodeKind.File && !entry.IsHardLink && !IsProven(entry);
            if (readBack && TryOpen(folder, name) is { } opened)
            {
                using (opened)
                    return FileFacts(opened.Known, entry) ?? Content(opened, entry);
            }
            if (folder.Find(name) is not { } facts)
                return "it is missing";
            if (entry.Facts.Kind == NodeKind.File)
                return FileFacts(facts, entry);
            if (Facts(facts, entry) is { } difference)
                return difference;
            return entry.Facts.Kind == NodeKind.Link && folder.ReadLink(name) != entry.Link
                ? "the link leads elsewhere"
                : null;
        }

        private bool IsProven(ManifestEntry entry)
        {
            if (!entry.IsProven)
                return false;
            counter.Bytes.Skip(entry.Facts.SizeBytes);
            return true;
        }

        /// <summary>The file, or null when it is none: then its facts tell.</summary>
        private static IFileHandle? TryOpen(IFolder folder, string name)
        {
            try
            {
                return folder.OpenFile(name);
            }
            catch (IoFault other)
                when (other.Reason is IoReason.NotFound or IoReason.BehindLink or IoReason.NotSupported)
            {
                return null;
            }
        }

        private string? FileFacts(in NodeFacts facts, ManifestEntry entry)
        {
            if (Facts(facts, entry) is { } difference)
                return difference;
            if (facts.SizeBytes != entry.Facts.SizeBytes)
                return $"it has {facts.SizeBytes} bytes and had {entry.Facts.SizeBytes}";
            if (!entry.IsHardLink && facts.Links <= 1)
                return null;
            lock (_lock)
            {
                if (entry.IsHardLink)
                    _furtherNames.Add((entry, facts.FileId));
                else
                    _firstNames[entry.Path] = facts.FileId;
            }
            return null;
        }

        private string? Content(IFileHandle file, ManifestEntry entry)
        {
            var back = file.ReadBack(counter.Bytes, stop);
            Interlocked.Add(ref _bytesRead, back.SizeBytes);
            if (!back.FromMedium)
                _fromCache = true;
            if (back.Digest != entry.Digest)
                return "its content read back differs";
            return able.ExtendedAttributes && ContentDigest.Of(file.ReadAttributes()) != entry.AttributesDigest
                ? "its extended attributes differ"
                : null;
        }

        public string? Whole()
        {
            foreach (var (entry, id) in _furtherNames)
                if (_firstNames.GetValueOrDefault(entry.Link!) != id)
                    return $"`{PathText.Show(entry.Path)}`: it is not a further name of `{PathText.Show(entry.Link!)}` any more";
            return null;
        }

        private string? Facts(in NodeFacts facts, ManifestEntry entry)
        {
            if (facts.Kind != entry.Facts.Kind)
                return $"it is a {facts.Kind.Word()} and was a {entry.Facts.Kind.Word()}";
            var step = Math.Max(1, able.TimeStepNanoseconds);
            if (facts.ModifiedNs / step != entry.Facts.ModifiedNs / step)
                return "its modification time differs";
            if (able.Owners && (facts.Owner, facts.Group) != (entry.Facts.Owner, entry.Facts.Group))
                return "its owner differs";
            return able.Owners && facts.Kind != NodeKind.Link && facts.Mode != entry.Facts.Mode
                ? "its permissions differ"
                : null;
        }
    }

    /// <summary>A source or original against what it was.</summary>
    private sealed class SourceCheck : IEntryCheck
    {
        public string? Folder(IFolder folder, NodeFacts facts, ManifestEntry entry) => Differs(facts, entry);

        public string? Leaf(IFolder folder, string name, ManifestEntry entry) =>
            folder.Find(name) is { } facts ? Differs(facts, entry) : "it is missing";

        public string? Whole() => null;

        private static string? Differs(in NodeFacts now, ManifestEntry entry)
        {
            var then = entry.Facts;
            if (now.Kind != then.Kind)
                return $"it became a {now.Kind.Word()}";
            if (now.FileId != then.FileId)
                return "it was replaced";
            if (now.Kind == NodeKind.File && now.SizeBytes != then.SizeBytes)
                return $"its size went from {then.SizeBytes} to {now.SizeBytes} bytes";
            if (now.ModifiedNs != then.ModifiedNs)
                return "it was written to";
            // Renaming the tree's root sets the root's own change time and nothing else's.
            return entry.Path.Length > 0 && now.ChangedNs != then.ChangedNs ? "its rights or names were changed" : null;
        }
    }
}
