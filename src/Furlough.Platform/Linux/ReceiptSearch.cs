using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Looks for receipts that the agent's journal knows nothing of: in the folders of dockets, which stand in folders that
/// only the system can change, and beside targets, where older versions left them. What a receipt names as target is
/// not searched, nor are folders deeper than layouts go.
/// </summary>
internal sealed class ReceiptSearch(LinuxVolumes volumes, Func<Guid, bool> knows, List<string> notes)
{
    private const int DeepestLevel = 8,
        MostFolders = 20_000;
    private readonly HashSet<Place> _targets = [];
    private int _folders;

    /// <summary>The receipts on volumes that carry our marker, but for the system's own volume.</summary>
    internal IReadOnlyList<ReceiptFacts> Find(IEnumerable<VolumeFacts> surveyed, CancellationToken stop)
    {
        List<ReceiptFacts> found = [];
        foreach (var volume in surveyed.Where(v => !v.System && v.Identity.Marker.Length > 0))
        {
            _folders = 0;
            using var root = volumes.TryOpenFolder(volume.Root);
            if (root is not null)
                Below(root, root, volume.Abilities, new Place(volume.Identity.Key, ""), 0, found, stop);
            if (_folders > MostFolders)
                notes.Add($"`{volume.Root}` has too many folders to look for receipts in all of them.");
        }
        return found;
    }

    private void Below(
        IFolder root,
        IFolder folder,
        FileSystemAbilities abilities,
        Place at,
        int level,
        List<ReceiptFacts> found,
        CancellationToken stop
    )
    {
        if (level > DeepestLevel || ++_folders > MostFolders)
            return;
        stop.ThrowIfCancellationRequested();
        var folders = folder
            .List()
            .Where(e => e.Kind == NodeKind.Folder)
            .Select(e => e.Name)
            .Order(StringComparer.Ordinal)
            .ToList();
        foreach (var own in DocketFolders.List(folder, abilities))
            Read(root, folder, abilities, at, $"{Layout.Dockets}/{own}", found);
        foreach (
            var own in folders.Where(n => n.StartsWith(Layout.Prefix, StringComparison.Ordinal) && n != Layout.Dockets)
        )
            Read(root, folder, abilities, at, own, found);
        var targets = TargetsIn(at);
        foreach (var name in folders.Where(n => !targets.Contains(n) && !n.StartsWith('.')))
        {
            try
            {
                using var inner = folder.OpenFolder(name);
                Below(root, inner, abilities, at with { Path = Walk.Join(at.Path, name) }, level + 1, found, stop);
            }
            catch (IoFault fault)
            {
                notes.Add($"Not searched for receipts: {fault.Message}");
            }
        }
    }

    private HashSet<string> TargetsIn(Place at) =>
        _targets
            .Where(t => t.Volume == at.Volume && string.Join('/', t.Parts.SkipLast(1)) == at.Path)
            .Select(t => t.Parts[^1])
            .ToHashSet(StringComparer.Ordinal);

    /// <summary>
    /// The receipt in a docket's folder, if it is one that was completed for a target on this volume and is not known.
    /// </summary>
    private void Read(
        IFolder root,
        IFolder folder,
        FileSystemAbilities abilities,
        Place at,
        string own,
        List<ReceiptFacts> found
    )
    {
        using var docketFolder = Reach.TryFolder(folder, own.Split('/'));
        if (
            docketFolder?.Find(Layout.Receipt) is not { Kind: NodeKind.File, SizeBytes: < 4 << 20 }
            || (abilities.Owners && docketFolder.Facts().Owner != 0)
        )
            return;
        using var file = docketFolder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        if (Receipt.Parse(text.ReadToEnd()) is not var (receipt, body, signature) || receipt.ManifestDigest.Length == 0)
            return;
        var docket = receipt.Docket;
        var parts = docket.Target.Parts;
        var isHere =
            own == $"{Layout.Dockets}/{Layout.FolderOf(docket.Id, DocketSide.Copy)}"
            || (own == Layout.FormerFolderOf(docket.Id) && string.Join('/', parts.SkipLast(1)) == at.Path);
        if (docket.Target.Volume != at.Volume || !isHere)
            return;
        _targets.Add(docket.Target);
        if (knows(docket.Id))
            return;
        using var parent = Reach.TryFolder(root, parts.SkipLast(1));
        using var original = DocketFolders.TryFind(root, abilities, docket.Target, docket.Id, DocketSide.Original);
        found.Add(
            new ReceiptFacts(
                docket.Id,
                docket.Machine,
                docket.Holding,
                docket.Target,
                receipt.WrittenAt,
                receipt.Files,
                receipt.DataBytes,
                parent?.Find(parts[^1]) is { Kind: NodeKind.Folder },
                original is { HoldsOriginal: true },
                body,
                signature,
                Genuine: false
            )
        );
    }
}
