using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Trees;

/// <summary>What a comparison found: the first difference, or none.</summary>
public sealed record ProofResult(string? Difference, long Files, long BytesRead, bool FromMedium);

/// <summary>Compares trees with the manifest of what was copied, walking both in the same sequence.</summary>
public static class TreeProof
{
    private const int Chunk = 1_024;

    /// <summary>Reads a copy back and compares everything that the volume can store with the manifest.</summary>
    public static ProofResult Copy(IFolder root, IEnumerable<ManifestEntry> manifest, IVolume volume, TreeCounter counter, CancellationToken stop)
    {
        long read = 0;
        var fromMedium = true;
        var firstNames = new Dictionary<string, ulong>(StringComparer.Ordinal);
        var able = volume.Abilities;
        return Compare(root, manifest, volume.Workers, counter, Leaf, Facts, stop) with { BytesRead = read, FromMedium = fromMedium };

        string? Facts(IFolder? folder, IFolder? self, string name, NodeFacts facts, ManifestEntry entry)
        {
            if (facts.Kind != entry.Facts.Kind) return $"it is a {facts.Kind.Word()} and was a {entry.Facts.Kind.Word()}";
            var step = Math.Max(1, able.TimeStepNanoseconds);
            if (facts.ModifiedNs / step != entry.Facts.ModifiedNs / step) return "its modification time differs";
            if (able.Owners && (facts.Owner, facts.Group) != (entry.Facts.Owner, entry.Facts.Group)) return "its owner differs";
            if (able.Owners && facts.Kind != NodeKind.Link && facts.Mode != entry.Facts.Mode) return "its permissions differ";
            return self is not null && able.ExtendedAttributes && ContentDigest.Of(self.ReadAttributes()) != entry.AttributesDigest ? "its extended attributes differ" : null;
        }

        string? Leaf(IFolder folder, string name, NodeFacts facts, ManifestEntry entry)
        {
            if (Facts(folder, null, name, facts, entry) is { } difference) return difference;
            if (entry.Facts.Kind == NodeKind.Link) return folder.ReadLink(name) == entry.Link ? null : "the link leads elsewhere";
            if (entry.Facts.Kind != NodeKind.File) return null;
            if (facts.SizeBytes != entry.Facts.SizeBytes) return $"it has {facts.SizeBytes} bytes and had {entry.Facts.SizeBytes}";
            lock (firstNames)
            {
                if (entry.IsHardLink) return firstNames.GetValueOrDefault(entry.Link!) == facts.FileId ? null : $"it is no further name of `{entry.Link}` any more";
                if (facts.Links > 1) firstNames[entry.Path] = facts.FileId;
            }
            using var file = folder.OpenFile(name);
            var back = file.ReadBack(counter.Bytes, stop);
            Interlocked.Add(ref read, back.SizeBytes);
            if (!back.FromMedium) Volatile.Write(ref fromMedium, false);
            if (back.Digest != entry.Digest) return "its content read back differs";
            return able.ExtendedAttributes && ContentDigest.Of(file.ReadAttributes()) != entry.AttributesDigest ? "its extended attributes differ" : null;
        }
    }

    /// <summary>Compares a source or original with the manifest by what the file system says: kind, size, times, identity. Reads no content.</summary>
    public static ProofResult Unchanged(IFolder root, IEnumerable<ManifestEntry> manifest, CancellationToken stop)
    {
        return Compare(root, manifest, 1, new TreeCounter(), (_, _, facts, entry) => Differs(facts, entry), (_, _, _, facts, entry) => Differs(facts, entry), stop);

        static string? Differs(in NodeFacts now, ManifestEntry entry)
        {
            var then = entry.Facts;
            if (now.Kind != then.Kind) return $"it became a {now.Kind.Word()}";
            if (now.FileId != then.FileId) return "it was replaced";
            if (now.Kind == NodeKind.File && now.SizeBytes != then.SizeBytes) return $"its size went from {then.SizeBytes} to {now.SizeBytes} bytes";
            if (now.ModifiedNs != then.ModifiedNs) return "it was written to";
            // Renaming the tree's root sets the root's own change time and nothing else's.
            return entry.Path.Length > 0 && now.ChangedNs != then.ChangedNs ? "its rights or names were changed" : null;
        }
    }

    private static ProofResult Compare(IFolder root, IEnumerable<ManifestEntry> manifest, int workers, TreeCounter counter,
        Func<IFolder, string, NodeFacts, ManifestEntry, string?> leaf, Func<IFolder?, IFolder, string, NodeFacts, ManifestEntry, string?> folderFacts, CancellationToken stop)
    {
        using var entries = manifest.GetEnumerator();
        var next = entries.MoveNext() ? entries.Current : null;
        var parallel = new ParallelOptions { MaxDegreeOfParallelism = Math.Max(1, workers), CancellationToken = stop };
        var difference = next is null ? "the manifest is empty" : Folder(null, root, "", "", 0);
        if (difference is null && next is not null) difference = $"`{PathText.Show(next.Path)}` is missing";
        return new ProofResult(difference, counter.Files, 0, true);

        ManifestEntry? Take(string path)
        {
            if (next is null || next.Path != path) return null;
            var taken = next;
            next = entries.MoveNext() ? entries.Current : null;
            return taken;
        }

        string Unexpected(string path) =>
            next is not null && string.CompareOrdinal(next.Path, path) < 0 ? $"`{PathText.Show(next.Path)}` is missing" : $"`{PathText.Show(path)}` was added";

        string? Folder(IFolder? parent, IFolder folder, string name, string path, int level)
        {
            if (level > Walk.DeepestLevel) throw Walk.TooDeep(path);
            if (Take(path) is not { } own) return Unexpected(path);
            if (folderFacts(parent, folder, name, folder.Facts(), own) is { } different) return Named(path, different);
            var (leaves, folders) = Walk.Sorted(folder);
            for (var at = 0; at < leaves.Count; at += Chunk)
                if (Leaves(folder, path, leaves, at, Math.Min(Chunk, leaves.Count - at)) is { } found) return found;
            foreach (var entry in folders)
            {
                stop.ThrowIfCancellationRequested();
                using var inner = folder.OpenFolder(entry.Name);
                if (Folder(folder, inner, entry.Name, Walk.Join(path, entry.Name), level + 1) is { } found) return found;
            }
            return null;
        }

        string? Leaves(IFolder folder, string path, IReadOnlyList<FolderEntry> leaves, int at, int count)
        {
            var expected = new ManifestEntry?[count];
            for (var i = 0; i < count; i++)
            {
                var entry = leaves[at + i];
                if (entry.Kind == NodeKind.Socket) continue;
                var below = Walk.Join(path, entry.Name);
                if (Take(below) is not { } taken) return Unexpected(below);
                expected[i] = taken;
            }
            var differences = new string?[count];
            try
            {
                Parallel.For(0, count, parallel, i =>
                {
                    if (expected[i] is not { IsHardLink: false } entry) return;
                    differences[i] = One(entry);
                });
            }
            catch (AggregateException several)
            {
                throw several.Flatten().InnerExceptions.OfType<Fault>().FirstOrDefault() ?? several.InnerExceptions[0];
            }
            for (var i = 0; i < count; i++)
            {
                if (expected[i] is { IsHardLink: true } entry) differences[i] = One(entry);
                if (differences[i] is { } found) return Named(expected[i]!.Path, found);
            }
            return null;

            string? One(ManifestEntry entry)
            {
                var name = entry.Path[(entry.Path.LastIndexOf('/') + 1)..];
                if (folder.Find(name) is not { } facts) return "it is missing";
                var found = leaf(folder, name, facts, entry);
                counter.FileDone();
                return found;
            }
        }

        static string Named(string path, string difference) => $"`{(path.Length == 0 ? "." : PathText.Show(path))}`: {difference}";
    }
}
