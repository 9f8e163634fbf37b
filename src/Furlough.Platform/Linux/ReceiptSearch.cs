using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Looks for receipts that the agent's journal knows nothing of. They lie beside targets, so what a receipt names as target is not searched, nor
/// are folders deeper than layouts go.
/// </summary>
internal sealed class ReceiptSearch(LinuxVolumes volumes, Func<Guid, bool> knows, List<string> notes)
{
    private const int DeepestLevel = 8, MostFolders = 20_000;
    private int _folders;

    /// <summary>The receipts on volumes that carry our marker, but for the system's own volume.</summary>
    internal IReadOnlyList<ReceiptFacts> Find(IEnumerable<VolumeFacts> surveyed, CancellationToken stop)
    {
        List<ReceiptFacts> found = [];
        foreach (var volume in surveyed.Where(v => !v.System && v.Identity.Marker.Length > 0))
        {
            _folders = 0;
            using var root = volumes.TryOpenFolder(volume.Root);
            if (root is not null) Below(root, new Place(volume.Identity.Key, ""), 0, found, stop);
            if (_folders > MostFolders) notes.Add($"`{volume.Root}` has too many folders to look for receipts in all of them.");
        }
        return found;
    }

    private void Below(IFolder folder, Place at, int level, List<ReceiptFacts> found, CancellationToken stop)
    {
        if (level > DeepestLevel || ++_folders > MostFolders) return;
        stop.ThrowIfCancellationRequested();
        var folders = folder.List().Where(e => e.Kind == NodeKind.Folder).Select(e => e.Name).Order(StringComparer.Ordinal).ToList();
        HashSet<string> targets = [];
        foreach (var own in folders.Where(n => n.StartsWith(Layout.Prefix, StringComparison.Ordinal)))
            if (Read(folder, at, own, targets) is { } receipt) found.Add(receipt);
        foreach (var name in folders.Where(n => !targets.Contains(n) && !n.StartsWith('.')))
        {
            try
            {
                using var inner = folder.OpenFolder(name);
                Below(inner, at with { Path = Walk.Join(at.Path, name) }, level + 1, found, stop);
            }
            catch (IoFault fault)
            {
                notes.Add($"Not searched for receipts: {fault.Message}");
            }
        }
    }

    /// <summary>The receipt in a docket's folder, if it is one that was completed here and is not known.</summary>
    private ReceiptFacts? Read(IFolder folder, Place at, string own, HashSet<string> targets)
    {
        using var docketFolder = folder.OpenFolder(own);
        if (docketFolder.Find(Layout.Receipt) is not { Kind: NodeKind.File, SizeBytes: < 4 << 20 }) return null;
        using var file = docketFolder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        if (Receipt.Parse(text.ReadToEnd()) is not var (receipt, body, signature) || receipt.ManifestDigest.Length == 0) return null;
        var docket = receipt.Docket;
        var parts = docket.Target.Parts;
        if (docket.Target.Volume != at.Volume || string.Join('/', parts.SkipLast(1)) != at.Path || own != Layout.FolderOf(docket.Id)) return null;
        targets.Add(parts[^1]);
        if (knows(docket.Id)) return null;
        return new ReceiptFacts(docket.Id, docket.Machine, docket.Holding, docket.Target, receipt.WrittenAt, receipt.Files, receipt.DataBytes,
            folder.Find(parts[^1]) is { Kind: NodeKind.Folder }, docketFolder.Find(Layout.Original) is not null, body, signature, Genuine: false);
    }
}
