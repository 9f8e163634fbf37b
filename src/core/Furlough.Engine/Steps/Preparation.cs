using Furlough.Engine.Context;
using Furlough.Engine.Originals;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>What several methods check and make when they prepare, and how that is taken back.</summary>
internal static class Preparation
{
    /// <summary>
    /// Removes the docket's own folders, the folders above the target that this docket made, and puts an empty folder
    /// back that stood there.
    /// </summary>
    /// <param name="stays">Whether the copy could not be taken back from the target: then what tells that it is one
    /// stays too.</param>
    internal static void TakeBack(StepContext context, Func<IFolder, bool> stays)
    {
        if (!context.Journal.Records.Has<Compared>())
            return;
        context.Report.Try(
            fault => $"The unfinished copy could not be removed now ({fault}); the next attempt removes it.",
            () =>
            {
                OwnFolders.Remove(context, DocketSide.Original);
                var volume = context.Places.TargetVolume();
                using var parent = Reach.TryParent(volume, context.Docket.Target);
                if (parent is null || stays(parent))
                    return;
                OwnFolders.Remove(context, DocketSide.Copy);
                TargetFolders.RestoreEmpty(context, parent);
                TargetFolders.RemoveMade(context, volume);
            }
        );
    }

    /// <summary>
    /// The source must be a folder; a program that makes its library at its first start is started for it.
    /// </summary>
    internal static void RequireSource(StepContext context)
    {
        var volume = context.Places.SourceVolume();
        FirstStart.Make(context, () => IsThere(volume, context.Docket.Source));
        if (KindAt(volume, context.Docket.Source) is not NodeKind.Folder and var kind)
            throw Faults.SourceMissing(context.Places.SourceShown, kind);
    }

    /// <summary>A receipt that says what is being done here, for anyone who finds the folder.</summary>
    internal static void WriteReceipt(StepContext context, IFolder own)
    {
        if (own.Find(Layout.Receipt) is null)
            new Receipt(context.Docket, context.Settings.History(), context.Time.GetUtcNow(), 0, 0, "", []).Write(
                own,
                context.Signer
            );
        own.Flush();
    }

    private static bool IsThere(IVolume volume, Place place) => KindAt(volume, place) == NodeKind.Folder;

    private static NodeKind? KindAt(IVolume volume, Place place)
    {
        using var parent = Reach.TryParent(volume, place);
        return parent?.Find(place.Parts[^1])?.Kind;
    }

    /// <summary>Both places are plain paths, and neither lies inside the other.</summary>
    internal static void RequireSensiblePlaces(StepContext context)
    {
        var docket = context.Docket;
        if (docket.Source.Parts.Count == 0)
            throw new Fault(
                FaultKinds.SourceIsVolume,
                "A volume of its own is mounted at "
                    + $"`{context.Machine.Volumes.Show(docket.Source).TrimEnd('/', '\\')}`: the holding is that whole "
                    + "volume, which is not relocated.",
                "Leave it out of the brief; or have the volume mounted elsewhere, with the holding in a folder of it."
            );
        RequirePlainPath(docket.Source);
        RequirePlainPath(docket.Target);
        foreach (var change in docket.Pointers.Where(p => p.Within.Length > 0))
            RequirePlainPath(docket.Target with { Path = change.Within });
        // Settings are written with it, and one line of them is one setting.
        if (
            docket.Work == DocketWork.Relocate
            && docket.Target.Path.Any(c => char.IsControl(c) || c is '\u2028' or '\u2029')
        )
            throw new Fault(
                FaultKinds.PathRefused,
                $"`{PathText.Show(docket.Target.Path)}` has a character that cannot be seen.",
                "Correct the path in the brief."
            );
        if (docket.Target.IsInside(docket.Source) || docket.Source.IsInside(docket.Target))
            throw new Fault(
                FaultKinds.TargetInsideSource,
                $"`{context.Machine.Volumes.Show(docket.Target)}` and "
                    + $"`{context.Machine.Volumes.Show(docket.Source)}` lie one inside the other.",
                "Plan another place."
            );
    }

    internal static void RequirePlainPath(Place place)
    {
        if (
            place.Parts.Count == 0
            || place.Parts.Any(p =>
                p is "" or "." or ".." || p.Contains('\0') || p.StartsWith(Layout.Prefix, StringComparison.Ordinal)
            )
        )
            throw new Fault(
                FaultKinds.PathRefused,
                $"`{PathText.Show(place.Path)}` is not a plain path below a volume.",
                "Correct the path in the brief."
            );
    }

    /// <summary>
    /// Removes what earlier dockets of this relocation could not remove because their volume was away: their staging
    /// folder, or their untouched copy at the target.
    /// </summary>
    internal static void ClearSuperseded(StepContext context, IVolume volume)
    {
        foreach (var earlier in context.Docket.Supersedes)
        {
            // What one that went well left is the receipt of where the holding lives.
            if (
                context.Journal.Of(earlier).Ended
                is RelocationState.Switched
                    or RelocationState.Finished
                    or RelocationState.Returned
            )
                continue;
            using var folder = context.Places.TryFolderOf(earlier, DocketSide.Copy);
            if (folder is null or { HoldsOriginal: true })
                continue;
            using var parent = Reach.TryParent(volume, context.Docket.Target);
            if (parent is null || TakeBackCopy(context, volume, parent, folder.Folder, earlier))
                folder.Remove(context.Stop);
        }
    }

    /// <summary>
    /// A copy that had become the target when its docket was undone goes, if it still is what was copied; otherwise it
    /// stays and stops this docket.
    /// </summary>
    private static bool TakeBackCopy(StepContext context, IVolume volume, IFolder parent, IFolder own, Guid earlier)
    {
        var leaf = context.Docket.Target.Parts[^1];
        var records = context.Journal.Of(earlier).Records;
        if (records.Has<Adopted>() || records.Find<Arriving>() is not { } arrived || own.Find(Layout.Manifest) is null)
            return true;
        if (parent.Find(leaf) is not { Kind: NodeKind.Folder } there || there.FileId != arrived.FileId)
            return true;
        using (var copy = parent.OpenFolder(leaf))
            if (
                TreeProof.Copy(copy, Manifest.ReadFrom(own), volume, new TreeCounter(), context.Stop).Difference
                is not null
            )
                return false;
        using var aside = OriginalBack.TakenBy(context.Journal.Of(earlier)) is { } taken
            ? OriginalBack.FolderOf(context, taken) ?? throw Faults.CopyMissing()
            : null;
        parent.Move(leaf, aside?.Folder ?? own, aside is null ? Layout.Staging : Layout.Original);
        aside?.Folder.Flush();
        parent.Flush();
        return true;
    }

    /// <summary>
    /// I7: what exists at the target is never overwritten; an empty folder may give way, and a link that leads to the
    /// source.
    /// </summary>
    internal static void RequireFreeTarget(StepContext context, IFolder root)
    {
        var place = context.Docket.Target;
        using var parent = Reach.TryFolder(root, place.Parts.SkipLast(1));
        if (parent?.Find(place.Parts[^1]) is not { } there)
            return;
        if (FormerPlace.MayGiveWay(context, parent))
            return;
        var shown = context.Machine.Volumes.Show(place);
        if (there.Kind != NodeKind.Folder)
            throw Faults.TargetNotEmpty(shown, [$"a {there.Kind.Word()} of that name"]);
        using var folder = parent.OpenFolder(place.Parts[^1]);
        var names = folder.List();
        if (names.Count > 0)
            throw Faults.TargetNotEmpty(shown, names.Select(n => n.Name).Order(StringComparer.Ordinal).Take(5));
        context.Journal.Record(new EmptyTarget(there.Mode, there.Owner, there.Group));
    }

    /// <summary>Claims the room at the target that a copy needs.</summary>
    /// <exception cref="Parked"><c>space-claimed</c>: others need it first.</exception>
    /// <exception cref="Fault"><c>target-fuller-than-surveyed</c></exception>
    internal static void RequireSpace(StepContext context, IVolume target)
    {
        if (context.Space.TryClaim(context, target) is not { } free)
            return;
        var (shown, needs) = (context.Places.TargetShown, SpaceLedger.NeedsOf(context.Docket));
        throw context.Docket.Work == DocketWork.Return && HasOriginal(context, target)
            ? Faults.OriginalInTheWay(shown, needs, free)
            : Faults.TargetFuller(shown, needs, free);
    }

    /// <summary>Whether the original of what is returned still takes room on the volume.</summary>
    private static bool HasOriginal(StepContext context, IVolume volume)
    {
        foreach (var earlier in context.Docket.Supersedes)
            using (var folder = context.Places.TryFolderOf(earlier, DocketSide.Original, volume, context.Docket.Target))
                if (folder is { HoldsOriginal: true })
                    return true;
        return false;
    }

    /// <summary>
    /// I12: anyone who could not reach the source cannot reach the target; the holding's own rights come along, so the
    /// folders above decide.
    /// </summary>
    internal static void RequireNobodyNew(StepContext context, IVolume sourceVolume, IFolder targetRoot)
    {
        if (!context.Places.TargetVolume().Abilities.Owners)
            return;
        using var sourceRoot = sourceVolume.OpenRoot();
        using var holding = Reach.Folder(sourceRoot, context.Docket.Source.Parts);
        var itself = (holding.Facts(), holding.ReadAttributes());
        var accounts = context.Machine.Accounts;
        var reaching = accounts.WhoReaches([.. Above(sourceRoot, context.Docket.Source), itself]);
        if (context.Docket.Work == DocketWork.Relocate)
            context.Journal.Record(new ReachedBy([.. reaching.Order(StringComparer.Ordinal)]));
        var before =
            context.Docket.Work == DocketWork.Return
                ? context
                    .Docket.Supersedes.SelectMany(e => context.Journal.Of(e).Records.Find<ReachedBy>()?.Accounts ?? [])
                    .ToHashSet(StringComparer.Ordinal)
                : [];
        // Anyone who has no name here could reach it before: so could everybody.
        if (before.Contains(IAccounts.Others))
            return;
        var fresh = accounts
            .WhoReaches([.. Above(targetRoot, context.Docket.Target), itself])
            .Except(reaching)
            .Except(before)
            .Order(StringComparer.Ordinal)
            .ToList();
        if (fresh.Count == 0)
            return;
        throw new Fault(
            FaultKinds.TargetTooOpen,
            $"Where it lives now the holding is closed to {string.Join(", ", fresh)}, but at "
                + $"`{context.Places.TargetShown}` it would not be: its own rights and those of the folders above let them through.",
            $"Take their rights from the holding itself (`{context.Places.SourceShown}`, for example to mode "
                + "0700), or close a folder above the target."
        );
    }

    /// <summary>The folders above a place, from its volume's root on.</summary>
    private static IEnumerable<(NodeFacts, Attributes)> Above(IFolder root, Place place)
    {
        yield return (root.Facts(), root.ReadAttributes());
        for (var i = 1; i < place.Parts.Count; i++)
        {
            using var folder = Reach.Folder(root, place.Parts.Take(i));
            yield return (folder.Facts(), folder.ReadAttributes());
        }
    }
}
