using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>
/// Takes a docket back before reopen: first the source stands complete again, then every pointer, then the copy goes. Repeatable like a
/// step: it looks at what is there and does what is missing.
/// </summary>
public static class Undo
{
    /// <summary>Undoes; returns what could not be cleaned up now and waits for the next docket.</summary>
    /// <exception cref="Fault">A pointer could not be put back: source and target both stay complete.</exception>
    public static IReadOnlyList<string> Run(Work work)
    {
        List<string> left = [];
        if (!work.Docket.Work.MovesHolding())
        {
            RemoveCopy(work, left);
            return left;
        }
        if (work.Docket.Method == Method.Setting)
        {
            RestorePointers(work, left);
            RemoveMadeTarget(work, left);
            return left;
        }
        try
        {
            if (RestoreSource(work, left))
                RestorePointers(work, left);
        }
        finally
        {
            QuiesceStep.LetIn(work);
        }
        RemoveCopy(work, left);
        return left;
    }

    private static bool RestoreSource(Work work, List<string> left)
    {
        FormerPlace.TakeBackLink(work);
        if (work.Noted(AdoptPrepareStep.NothingAtSource) is not null)
            return true;
        if (work.Journal.Read(work.Docket.Id).Begun is null or < Step.Repoint)
            return true;
        if (work.Docket.Work == DocketWork.FallBack)
            return RestoreOriginal(work);
        using var parent = Work.Parent(work.SourceVolume(), work.Docket.Source);
        var leaf = work.Docket.Source.Parts[^1];
        if (work.Docket.Method == Method.Exchange)
        {
            using var targetParent = Work.TryParent(work.TargetVolume(), work.Docket.Target);
            if (targetParent is not null && RepointStep.IsArrived(work, targetParent) && parent.Find(leaf) is null)
            {
                // Pointers first: for an exchange the folder exists only once, and nobody is signed in.
                targetParent.Move(work.Docket.Target.Parts[^1], parent, leaf);
                parent.Flush();
                targetParent.Flush();
            }
            return true;
        }
        using var at = work.TryOwn(DocketSide.Original);
        if (at is not { HoldsOriginal: true, Folder: var own })
            return true;
        if (parent.Find(leaf) is not null)
        {
            left.Add(
                $"Something new stands at `{work.Machine.Volumes.Show(work.Docket.Source)}`; the original waits in `{work.Machine.Volumes.Show(work.Docket.Source with { Path = at.Path })}`."
            );
            return false;
        }
        own.Move(Layout.Original, parent, leaf);
        parent.Flush();
        own.Flush();
        return true;
    }

    /// <summary>What was to become live again is an original once more.</summary>
    private static bool RestoreOriginal(Work work)
    {
        using var parent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        using var at = OriginalBack.Folder(work);
        if (at?.Folder is { } own && RepointStep.IsArrived(work, parent))
        {
            parent.Move(work.Docket.Target.Parts[^1], own, Layout.Original);
            own.Flush();
            parent.Flush();
        }
        RestoreEmptyTarget(work, parent);
        return true;
    }

    private static void RestorePointers(Work work, List<string> left)
    {
        if (work.Journal.Read(work.Docket.Id).Begun is null or < Step.Repoint)
            return;
        // Links in a holding's place are put right with the place itself.
        foreach (var change in work.Docket.Pointers.Where(p => !p.Address.InPlace).Reverse())
        {
            var found = work.Machine.Pointers.Read(change.Address);
            if (found == work.FormerOf(change))
                continue;
            if (found == work.NextOf(change))
                work.Machine.Pointers.Swap(change.Address, found, work.FormerOf(change));
            else
                left.Add($"The setting {change.Address} was changed by somebody else and left as it is.");
        }
    }

    private static void RemoveCopy(Work work, List<string> left)
    {
        if (work.Noted(PrepareStep.Compared) is null)
            return;
        try
        {
            RemoveOwn(work, DocketSide.Original, work.SourceVolume(), work.Docket.Source, left);
            var volume = work.TargetVolume();
            using var parent = Work.TryParent(volume, work.Docket.Target);
            if (parent is null)
                return;
            if (
                work.Docket.Method != Method.Exchange
                && work.Noted(AdoptPrepareStep.Adopted) is null
                && (work.Docket.Pointers.All(p => p.Address.InPlace) || work.LiveNow() != Live.Target)
                && RepointStep.IsArrived(work, parent)
            )
            {
                var (at, name) = RepointStep.Waiting(work);
                using (at)
                {
                    parent.Move(work.Docket.Target.Parts[^1], at.Folder, name);
                    at.Folder.Flush();
                }
                parent.Flush();
            }
            RemoveOwn(work, DocketSide.Copy, volume, work.Docket.Target, left);
            RestoreEmptyTarget(work, parent);
            RemoveMadeParents(work, volume);
        }
        catch (Fault fault)
        {
            left.Add(
                $"The unfinished copy could not be removed now ({fault.Message.TrimEnd('.')}); the next attempt removes it."
            );
        }
    }

    /// <summary>The folder that settings were to lead to goes again, if this docket made it and nobody has put anything there.</summary>
    private static void RemoveMadeTarget(Work work, List<string> left)
    {
        if (work.Noted(SettingPrepareStep.Compared) is null)
            return;
        try
        {
            var volume = work.TargetVolume();
            using (var parent = Work.TryParent(volume, work.Docket.Target))
                foreach (
                    var leaf in SettingPrepareStep
                        .Leaves(work.Docket)
                        .Where(l => work.Noted(SettingPrepareStep.Made + l) is not null)
                )
                {
                    if (parent?.Find(leaf) is not { Kind: NodeKind.Folder })
                        continue;
                    using (var folder = parent.OpenFolder(leaf))
                        if (folder.List().Count > 0)
                            return;
                    parent.RemoveFolder(leaf);
                    parent.Flush();
                }
            RemoveMadeParents(work, volume);
        }
        catch (Fault fault)
        {
            left.Add(
                $"The empty folder `{work.Machine.Volumes.Show(work.Docket.Target)}` could not be removed now ({fault.Message.TrimEnd('.')})."
            );
        }
    }

    private static void RemoveOwn(Work work, DocketSide side, IVolume volume, Place place, List<string> left)
    {
        using (var parent = Work.TryParent(volume, place))
            if (parent is not null)
                OwnFolders.RemoveTrial(work, parent);
        try
        {
            using var own = work.TryOwn(side);
            if (own is { HoldsOriginal: false })
                own.Remove(CancellationToken.None);
        }
        catch (Fault replaced) when (replaced.Code == DocketFolders.ReplacedCode)
        {
            left.Add(replaced.Message);
        }
    }

    private static void RestoreEmptyTarget(Work work, IFolder parent)
    {
        FormerPlace.RestoreLink(work, parent);
        var leaf = work.Docket.Target.Parts[^1];
        if (work.Noted(PrepareStep.EmptyTarget) is not { } facts || parent.Find(leaf) is not null)
            return;
        var p = facts.Split(' ').Select(n => uint.Parse(n, CultureInfo.InvariantCulture)).ToArray();
        using var rights = work.In(parent, work.TargetVolume());
        using var folder = parent.MakeFolder(leaf, p[0]);
        folder.Apply(folder.Facts() with { Mode = p[0], Owner = p[1], Group = p[2] }, Attributes.None);
        parent.Flush();
    }

    /// <summary>Folders that this docket made above the target go again if they are empty.</summary>
    private static void RemoveMadeParents(Work work, IVolume volume)
    {
        if (work.Noted(PrepareStep.MadeFrom) is not { } from)
            return;
        using var root = volume.OpenRoot();
        var parts = work.Docket.Target.Parts;
        for (var i = parts.Count - 2; i >= int.Parse(from, CultureInfo.InvariantCulture); i--)
        {
            using var parent = Reach.TryFolder(root, parts.Take(i));
            if (parent?.Find(parts[i]) is null)
                continue;
            using (var folder = parent.OpenFolder(parts[i]))
                if (folder.List().Count > 0)
                    return;
            using (work.In(parent, volume))
                parent.RemoveFolder(parts[i]);
            parent.Flush();
        }
    }
}
