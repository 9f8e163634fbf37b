using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Surveys;

/// <summary>
/// Measures holdings and looks after originals, on any system. Remembers what it found in folders, so that unchanged
/// ones are not looked into again.
/// </summary>
/// <param name="open">Opens the folder at a place; null, with a note, where it cannot.</param>
/// <param name="openVolume">Opens the volume of a key; null where it is absent.</param>
internal sealed class TreeSurvey(
    Func<Place, List<string>, IFolder?> open,
    Func<string, IVolume?> openVolume,
    IVolumes volumes,
    IActivity activity,
    TimeProvider time
)
{
    private const int MostUnreadNoted = 20;

    /// <summary>Of each place, what was found in its folders.</summary>
    private readonly Dictionary<Place, TreeMemory> _memories = [];

    /// <summary>The same for places of which less is asked: usual ones beside which holdings live, caches.</summary>
    private readonly Dictionary<Place, TreeMemory> _strays = [];

    /// <summary>A holding's size, what it asks of a file system, and who works in it.</summary>
    /// <param name="path">Where its pointers lead, as the system shows it.</param>
    internal HoldingFacts Look(
        HoldingName holding,
        string path,
        IReadOnlyList<PointerFacts> pointers,
        List<int> clusters,
        List<string> notes,
        CancellationToken stop
    )
    {
        var place = pointers.Select(p => p.Resolves).FirstOrDefault(p => p is not null);
        using var folder = place is null ? null : open(place, notes);
        List<string> unread = [];
        if (place is not null && !_memories.ContainsKey(place))
            _memories[place] = new TreeMemory(time);
        var size = folder is null ? default : Contents.Of(folder, path, unread, clusters, _memories[place!], stop);
        notes.AddRange(unread.Take(MostUnreadNoted).Select(u => $"{holding}: {u}"));
        var inUse = place is null || folder is null ? [] : activity.InUse(place);
        return new HoldingFacts(
            holding,
            place,
            path,
            folder is not null,
            pointers,
            size.Files,
            size.DataBytes,
            size.HiddenBytes,
            inUse,
            size.Demands ?? Demands.None
        )
        {
            Allocated = size.Allocated ?? [],
            LastChange = When(size.LastChangeNs),
        };
    }

    /// <summary>
    /// What stands at the usual place of a folder whose setting leads elsewhere; an empty folder or a link is nothing.
    /// </summary>
    internal StrayFolder? Stray(Place usual, CancellationToken stop)
    {
        var size = SizeOf(usual, stop);
        return size.Files == 0 ? null : new StrayFolder(volumes.Show(usual), size.Files, size.DataBytes);
    }

    /// <summary>Bytes of data in a folder; 0 where there is none.</summary>
    internal long DataBytes(Place place, CancellationToken stop) => SizeOf(place, stop).DataBytes;

    private Contents SizeOf(Place place, CancellationToken stop)
    {
        using var folder = open(place, []);
        if (folder is null)
            return default;
        if (!_strays.TryGetValue(place, out var memory))
            _strays[place] = memory = new TreeMemory(time);
        return Contents.Of(folder, "", [], [], memory, stop);
    }

    /// <summary>An original as it is now, and what stands again at its source.</summary>
    internal OriginalFacts LookAgain(OriginalFacts original, List<HoldingFacts> holdings, CancellationToken stop)
    {
        using var volume = openVolume(original.Source.Volume);
        if (volume is null)
            return original;
        using var root = volume.OpenRoot();
        using (var parent = Reach.TryFolder(root, original.Source.Parts.SkipLast(1)))
            if (parent is not null)
                original = original with
                {
                    Recreated = holdings.All(h => h.Place != original.Source)
                        ? Recreated(parent, original.Source.Parts[^1], stop)
                        : null,
                };
        using var at = DocketFolders.TryFind(
            root,
            volume.Abilities,
            original.Source,
            original.Docket,
            DocketSide.Original
        );
        if (at?.Folder is not { } own || own.Find(Layout.Original) is null || own.Find(Layout.Manifest) is null)
            return original;
        using var folder = own.OpenFolder(Layout.Original);
        using var file = own.OpenFile(Layout.Manifest);
        using var stream = file.Read();
        return original with
        {
            WrittenTo = TreeProof.Unchanged(folder, Manifest.Read(stream), 1, stop).Difference is not null,
        };
    }

    /// <summary>
    /// What stands again at a former place: a folder, or anything else of that name as one file. A link holds no data.
    /// </summary>
    private RecreatedSource? Recreated(IFolder parent, string name, CancellationToken stop)
    {
        if (parent.Find(name) is not { } there || there.Kind == NodeKind.Link)
            return null;
        if (there.Kind != NodeKind.Folder)
            return new RecreatedSource(1, there.SizeBytes, When(there.ModifiedNs));
        using var folder = parent.OpenFolder(name);
        var size = Contents.Of(folder, "", [], [], new TreeMemory(time), stop);
        return new RecreatedSource(size.Files, size.DataBytes, When(size.LastChangeNs));
    }

    private static DateTimeOffset? When(long sinceEpochNs) =>
        sinceEpochNs == 0 ? null : DateTimeOffset.UnixEpoch.AddTicks(sinceEpochNs / 100);
}
