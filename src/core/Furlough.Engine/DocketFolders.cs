using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>
/// Which of a docket's two folders: the one for the copy, on the target's volume, or the one for the original, on the
/// source's.
/// </summary>
public enum DocketSide
{
    Copy,
    Original,
}

/// <summary>An open docket's folder with the folder that holds it.</summary>
public sealed class DocketFolder : IDisposable
{
    private readonly IFolder? _ground;
    private readonly IFolder _above;
    private readonly string _name;

    /// <param name="ground">The folder that holds <paramref name="above"/>; null where an older version left the
    /// docket's folder beside its place.</param>
    /// <param name="above">The folder that holds the docket's.</param>
    /// <param name="path">The docket's folder's path on its volume.</param>
    internal DocketFolder(IFolder? ground, IFolder above, string name, IFolder folder, string path) =>
        (_ground, _above, _name, Folder, Path) = (ground, above, name, folder, path);

    /// <summary>The docket's folder.</summary>
    public IFolder Folder { get; }

    /// <summary>Its path on its volume.</summary>
    public string Path { get; }

    /// <summary>Whether an original stands in it.</summary>
    public bool HoldsOriginal => Folder.Find(Layout.Original) is not null;

    /// <summary>Removes it with everything in it, and the folder of all dockets if it was the last one there.</summary>
    public void Remove(CancellationToken stop)
    {
        // Its token goes last: what a crash leaves can still be recognised.
        foreach (var entry in Folder.List().Where(e => e.Name != Layout.Token))
            TreeRemoval.Run(Folder, entry.Name, stop);
        Folder.Flush();
        Folder.Dispose();
        TreeRemoval.Run(_above, _name, stop);
        _above.Flush();
        if (_ground is not null)
            DocketFolders.RemoveEmptyContainer(_ground);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        Folder.Dispose();
        _above.Dispose();
        _ground?.Dispose();
    }
}

/// <summary>
/// Where dockets keep their folders. A folder in which an account can rename things is not a place for them: the
/// account could put another one in its stead between two steps. So they stand in the highest folder of the place's
/// volume from which everything can be renamed into place and whose whole chain, up to the volume's root, only the
/// system can change. Whenever one is opened again it is compared with what the journal says.
/// </summary>
public static class DocketFolders
{
    /// <summary>
    /// Whether only the system can make, rename and remove names in a folder that belong to the system.
    /// </summary>
    public static bool IsSystems(in NodeFacts folder)
    {
        const uint groupAndOthersWrite = 0x12,
            sticky = 0x200;
        return folder.Owner == 0 && ((folder.Mode & groupAndOthersWrite) == 0 || (folder.Mode & sticky) != 0);
    }

    /// <summary>
    /// The folders above a place in which dockets' folders may stand, the highest first: on the same part of the volume
    /// as the folder that holds the place, none of them below one that someone else can change.
    /// </summary>
    internal static List<string> Grounds(IFolder root, FileSystemAbilities abilities, Place place)
    {
        // Without owners there is nobody from whom to keep them, and no rights that could be gained.
        if (!abilities.Owners)
            return [""];
        List<(string Path, ulong Device)> closed = [];
        var (parts, device, at) = (place.Parts.SkipLast(1).ToList(), 0ul, root.OpenFolder("."));
        try
        {
            for (var level = 0; ; level++)
            {
                var facts = at.Facts();
                device = facts.Device;
                if (closed.Count == level && IsSystems(facts))
                    closed.Add((string.Join('/', parts.Take(level)), facts.Device));
                if (level == parts.Count || at.Find(parts[level]) is null)
                    break;
                var next = at.OpenSubvolume(parts[level]);
                at.Dispose();
                at = next;
            }
        }
        finally
        {
            at.Dispose();
        }
        return [.. closed.Where(c => c.Device == device).Select(c => c.Path)];
    }

    /// <summary>A docket's folder as the journal knows it; null when it is not there.</summary>
    /// <exception cref="Fault"><c>docket-folder-replaced</c>: another folder stands there than the one that was
    /// made.</exception>
    internal static DocketFolder? TryOpen(
        IFolder root,
        FileSystemAbilities abilities,
        Guid docket,
        DocketSide side,
        OwnFolder record
    )
    {
        if (Open(root, abilities, record.Ground, Layout.FolderOf(docket, side)) is not { } found)
            return null;
        try
        {
            if (record.FileId is { } id && abilities.Owners && found.Folder.Facts().FileId != id)
                throw Replaced(found.Path);
            var token = ReadToken(found.Folder);
            // Cut short while it was made, or while it was removed.
            var isUnfinished = token is null && (record.FileId is null || found.Folder.List().Count == 0);
            return isUnfinished || token == record.Token ? found : throw Replaced(found.Path);
        }
        catch
        {
            found.Dispose();
            throw;
        }
    }

    /// <summary>
    /// A docket's folder of which no journal is at hand: where this version keeps them, or beside its place, where
    /// older ones did. Only one that the system made; null when there is none.
    /// </summary>
    /// <exception cref="Fault"><c>docket-folder-replaced</c>: someone else made what is there.</exception>
    public static DocketFolder? TryFind(
        IFolder root,
        FileSystemAbilities abilities,
        Place place,
        Guid docket,
        DocketSide side
    )
    {
        foreach (var ground in Grounds(root, abilities, place))
            if (Open(root, abilities, ground, Layout.FolderOf(docket, side)) is { } found)
                return found;
        return TryFindFormer(root, abilities, place, docket);
    }

    /// <summary>
    /// The folder that an older version left beside a place. The account may have renamed another one there: what it
    /// holds must be this docket's.
    /// </summary>
    private static DocketFolder? TryFindFormer(IFolder root, FileSystemAbilities abilities, Place place, Guid docket)
    {
        var parent = Reach.TryFolder(root, place.Parts.SkipLast(1));
        var name = Layout.FormerFolderOf(docket);
        if (parent?.Find(name) is null)
        {
            parent?.Dispose();
            return null;
        }
        var path = Walk.Join(string.Join('/', place.Parts.SkipLast(1)), name);
        var folder = new DocketFolder(null, parent, name, parent.OpenFolder(name), path);
        try
        {
            RequireSystems(folder.Folder, abilities, path);
            if (ReadReceipt(folder.Folder) is { } receipt && receipt.Docket.Id != docket)
                throw Replaced(path);
            return folder;
        }
        catch
        {
            folder.Dispose();
            throw;
        }
    }

    /// <summary>The receipts of everything that was put on the part of a volume where a place lies.</summary>
    public static IEnumerable<Receipt> Receipts(IFolder root, FileSystemAbilities abilities, Place place)
    {
        foreach (var ground in Grounds(root, abilities, place))
        {
            using var at = Reach.Folder(root, Parts(ground));
            foreach (var name in List(at, abilities))
            {
                using var folder = Reach.TryFolder(at, [Layout.Dockets, name]);
                if (
                    folder is not null
                    && (!abilities.Owners || IsClosed(folder.Facts()))
                    && ReadReceipt(folder) is { } receipt
                )
                    yield return receipt;
            }
        }
        using var parent = Reach.TryFolder(root, place.Parts.SkipLast(1));
        foreach (
            var entry in parent
                ?.List()
                .Where(e => e.Kind == NodeKind.Folder && e.Name.StartsWith(Layout.Prefix, StringComparison.Ordinal))
                ?? []
        )
        {
            using var folder = parent!.OpenFolder(entry.Name);
            if ((!abilities.Owners || IsClosed(folder.Facts())) && ReadReceipt(folder) is { } receipt)
                yield return receipt;
        }
    }

    /// <summary>
    /// The names of all dockets' folders below a ground; empty where there are none, or someone else made what is
    /// there.
    /// </summary>
    public static IReadOnlyList<string> List(IFolder ground, FileSystemAbilities abilities)
    {
        if (ground.Find(Layout.Dockets) is not { Kind: NodeKind.Folder })
            return [];
        using var container = ground.OpenFolder(Layout.Dockets);
        return abilities.Owners && !IsClosed(container.Facts())
            ? []
            : [.. container.List().Where(e => e.Kind == NodeKind.Folder).Select(e => e.Name)];
    }

    /// <summary>Makes a docket's folder below a ground, or goes on with one whose making was cut short.</summary>
    internal static DocketFolder Make(
        IFolder root,
        FileSystemAbilities abilities,
        Guid docket,
        DocketSide side,
        OwnFolder record
    )
    {
        var ground = Reach.Folder(root, Parts(record.Ground));
        for (var again = true; ; again = false)
        {
            IFolder? container = null;
            try
            {
                if (ground.Find(Layout.Dockets) is null)
                    ground.MakeFolder(Layout.Dockets, Layout.Closed).Dispose();
                container = ground.OpenFolder(Layout.Dockets);
                var path = Walk.Join(record.Ground, Layout.Dockets);
                RequireSystems(container, abilities, path);
                var name = Layout.FolderOf(docket, side);
                var folder = container.Find(name) is null
                    ? container.MakeFolder(name, Layout.Closed)
                    : container.OpenFolder(name);
                var made = new DocketFolder(ground, container, name, folder, Walk.Join(path, name));
                RequireSystems(folder, abilities, made.Path);
                if (ReadToken(folder) != record.Token)
                    DurableFile.Write(folder, Layout.Token, System.Text.Encoding.ASCII.GetBytes(record.Token));
                container.Flush();
                ground.Flush();
                return made;
            }
            catch (IoFault gone) when (again && gone.Reason is IoReason.NotFound or IoReason.Exists)
            {
                // Another docket of this machine took the empty folder of all dockets away, or made it, at the same
                // moment.
                container?.Dispose();
            }
            catch
            {
                container?.Dispose();
                ground.Dispose();
                throw;
            }
        }
    }

    /// <summary>Removes the folders of all dockets above a place that hold none.</summary>
    internal static void RemoveEmptyContainers(IFolder root, FileSystemAbilities abilities, Place place)
    {
        foreach (var ground in Grounds(root, abilities, place))
            using (var folder = Reach.Folder(root, Parts(ground)))
                RemoveEmptyContainer(folder);
    }

    internal static void RemoveEmptyContainer(IFolder ground)
    {
        try
        {
            if (ground.Find(Layout.Dockets) is null)
                return;
            ground.RemoveFolder(Layout.Dockets);
            ground.Flush();
        }
        catch (IoFault used) when (used.Reason is IoReason.NotEmpty or IoReason.NotFound or IoReason.Exists) { }
    }

    private static DocketFolder? Open(IFolder root, FileSystemAbilities abilities, string at, string name)
    {
        var ground = Reach.TryFolder(root, Parts(at));
        IFolder? container = null,
            folder = null;
        try
        {
            if (ground?.Find(Layout.Dockets) is not null)
            {
                container = ground.OpenFolder(Layout.Dockets);
                var path = Walk.Join(at, Layout.Dockets);
                RequireSystems(container, abilities, path);
                if (container.Find(name) is not null)
                {
                    folder = container.OpenFolder(name);
                    var found = new DocketFolder(ground, container, name, folder, Walk.Join(path, name));
                    RequireSystems(folder, abilities, found.Path);
                    return found;
                }
            }
        }
        catch
        {
            folder?.Dispose();
            container?.Dispose();
            ground?.Dispose();
            throw;
        }
        container?.Dispose();
        ground?.Dispose();
        return null;
    }

    internal static string? ReadToken(IFolder folder)
    {
        const int most = 100;
        if (folder.Find(Layout.Token) is not { Kind: NodeKind.File, SizeBytes: < most })
            return null;
        using var file = folder.OpenFile(Layout.Token);
        using var text = new StreamReader(file.Read());
        return text.ReadToEnd();
    }

    private static Receipt? ReadReceipt(IFolder folder)
    {
        const int most = 4 << 20;
        if (folder.Find(Layout.Receipt) is not { Kind: NodeKind.File, SizeBytes: < most })
            return null;
        using var file = folder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        return Receipt.Parse(text.ReadToEnd())?.Receipt;
    }

    private static void RequireSystems(IFolder folder, FileSystemAbilities abilities, string path)
    {
        if (abilities.Owners && !IsClosed(folder.Facts()))
            throw Replaced(path);
    }

    /// <summary>Made by the system, and nobody else may enter.</summary>
    private static bool IsClosed(in NodeFacts facts)
    {
        const uint anyOther = 0x3F;
        return facts.Owner == 0 && (facts.Mode & anyOther) == 0;
    }

    private static string[] Parts(string path) => path.Length == 0 ? [] : path.Split('/');

    private static Fault Replaced(string path) =>
        new(
            FaultKinds.DocketFolderReplaced,
            $"The folder `{PathText.Show(path)}`, in which Furlough keeps copies and originals, is not the one "
                + "that it made: someone put another one there.",
            "Find out who did that and take it away. Furlough used nothing of it."
        );
}
