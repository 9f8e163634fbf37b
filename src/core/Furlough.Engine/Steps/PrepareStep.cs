using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Compares reality with the docket (I9), makes the target's folders, the docket's folder and a first receipt. Touches nothing of the source.</summary>
public sealed class PrepareStep : IStep
{
    /// <summary>Which folders this docket made for the target, as a count of path parts: only those are removed again.</summary>
    internal const string MadeFrom = "made-from";

    /// <summary>Facts of an empty folder that stood at the target.</summary>
    internal const string EmptyTarget = "empty-target";

    /// <summary>Set when everything was compared: nothing has been made before.</summary>
    internal const string Compared = "prepare-compared";

    /// <summary>Who could reach the source when it was relocated, separated by `/`: a return lets the same ones in again.</summary>
    private const string ReachedBy = "reached-by";

    private const long SpaceMargin = 16L << 20;

    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var docket = work.Docket;
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        RequireSensiblePlaces(work);
        work.RequireFormerValuesLead();
        if (docket.Method == Method.Exchange && docket.Source.Volume != docket.Target.Volume)
            throw new Fault(
                "exchange-across-volumes",
                "The exchange method works on one volume only.",
                "Make a new plan with the cold method."
            );
        FirstStart.Make(work, () => IsThere(sourceVolume, docket.Source));
        if (KindAt(sourceVolume, docket.Source) is not NodeKind.Folder and var kind)
            throw Faults.SourceMissing(work.Machine.Volumes.Show(docket.Source), kind);

        using var root = targetVolume.OpenRoot();
        ClearSuperseded(work, targetVolume);
        RequireFreeTarget(work, root);
        OriginalBack.Choose(work);
        if (OriginalBack.Of(work) is null)
            RequireSpace(work, targetVolume);
        work.Note(Compared, "yes");
        using var parent = MakeParents(work, root);
        RequireNobodyNew(work, sourceVolume, root);
        if (work.KeepsOriginal)
            OwnFolders.Make(work, DocketSide.Original).Dispose();
        using var at = OwnFolders.Make(work, DocketSide.Copy);
        var own = at.Folder;
        if (docket.Method != Method.Exchange && own.Find(Layout.Staging) is null)
            own.MakeFolder(Layout.Staging, Layout.Closed).Dispose();
        if (own.Find(Layout.Receipt) is null)
            new Receipt(docket, work.History(), work.Time.GetUtcNow(), 0, 0, "", []).Write(own, work.Signer);
        own.Flush();
    }

    private static bool IsThere(IVolume volume, Place place) => KindAt(volume, place) == NodeKind.Folder;

    private static NodeKind? KindAt(IVolume volume, Place place)
    {
        using var parent = Work.TryParent(volume, place);
        return parent?.Find(place.Parts[^1])?.Kind;
    }

    /// <summary>Both places are plain paths, and neither lies inside the other.</summary>
    internal static void RequireSensiblePlaces(Work work)
    {
        var docket = work.Docket;
        if (docket.Source.Parts.Count == 0)
            throw new Fault(
                "source-is-volume",
                $"A volume of its own is mounted at `{work.Machine.Volumes.Show(docket.Source).TrimEnd('/', '\\')}`: the holding is that whole volume, which is not relocated.",
                "Leave it out of the brief; or have the volume mounted elsewhere, with the holding in a folder of it, survey the machine and make a new plan."
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
                "path-refused",
                $"`{PathText.Show(docket.Target.Path)}` has a character that cannot be seen.",
                "Correct the path in the brief and make a new plan."
            );
        if (docket.Target.IsInside(docket.Source) || docket.Source.IsInside(docket.Target))
            throw new Fault(
                "target-inside-source",
                $"`{work.Machine.Volumes.Show(docket.Target)}` and `{work.Machine.Volumes.Show(docket.Source)}` lie one inside the other.",
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
                "path-refused",
                $"`{PathText.Show(place.Path)}` is no plain path below a volume.",
                "Correct the path in the brief and make a new plan."
            );
    }

    /// <summary>Removes what earlier dockets of this relocation could not remove because their volume was away: their staging folder, or their untouched copy at the target.</summary>
    internal static void ClearSuperseded(Work work, IVolume volume)
    {
        foreach (var earlier in work.Docket.Supersedes)
        {
            // What one that went well left is the receipt of where the holding lives.
            if (
                work.Journal.Read(earlier).Ended
                is RelocationState.Switched
                    or RelocationState.Finished
                    or RelocationState.Returned
            )
                continue;
            using var folder = work.TryFolderOf(earlier, DocketSide.Copy);
            if (folder is null or { HoldsOriginal: true })
                continue;
            using var parent = Work.TryParent(volume, work.Docket.Target);
            if (parent is null || TakeBackCopy(work, volume, parent, folder.Folder, earlier))
                folder.Remove(work.Stop);
        }
    }

    /// <summary>A copy that had become the target when its docket was undone goes, if it still is what was copied; otherwise it stays and stops this docket.</summary>
    private static bool TakeBackCopy(Work work, IVolume volume, IFolder parent, IFolder own, Guid earlier)
    {
        var leaf = work.Docket.Target.Parts[^1];
        var notes = work.Journal.Read(earlier).Notes;
        if (
            notes.ContainsKey(AdoptPrepareStep.Adopted)
            || notes.GetValueOrDefault(RepointStep.TargetId) is not { } id
            || own.Find(Layout.Manifest) is null
        )
            return true;
        if (
            parent.Find(leaf) is not { Kind: NodeKind.Folder } there
            || there.FileId.ToString(CultureInfo.InvariantCulture) != id
        )
            return true;
        using (var copy = parent.OpenFolder(leaf))
            if (
                TreeProof.Copy(copy, Work.ReadManifest(own), volume, new TreeCounter(), work.Stop).Difference
                is not null
            )
                return false;
        using var aside = OriginalBack.TakenBy(work.Journal.Read(earlier)) is { } taken
            ? OriginalBack.FolderOf(work, taken) ?? throw RepointStep.Missing()
            : null;
        parent.Move(leaf, aside?.Folder ?? own, aside is null ? Layout.Staging : Layout.Original);
        aside?.Folder.Flush();
        parent.Flush();
        return true;
    }

    /// <summary>I7: what exists at the target is never overwritten; an empty folder may give way, and a link that leads to the source.</summary>
    internal static void RequireFreeTarget(Work work, IFolder root)
    {
        var place = work.Docket.Target;
        using var parent = Reach.TryFolder(root, place.Parts.SkipLast(1));
        if (parent?.Find(place.Parts[^1]) is not { } there)
            return;
        if (FormerPlace.MayGiveWay(work, parent))
            return;
        var shown = work.Machine.Volumes.Show(place);
        if (there.Kind != NodeKind.Folder)
            throw Faults.TargetNotEmpty(shown, [$"a {there.Kind.Word()} of that name"]);
        using var folder = parent.OpenFolder(place.Parts[^1]);
        var names = folder.List();
        if (names.Count > 0)
            throw Faults.TargetNotEmpty(shown, names.Select(n => n.Name).Order(StringComparer.Ordinal).Take(5));
        work.Note(
            EmptyTarget,
            string.Create(CultureInfo.InvariantCulture, $"{there.Mode} {there.Owner} {there.Group}")
        );
    }

    internal static void RequireSpace(Work work, IVolume target)
    {
        if (work.Docket.Method == Method.Exchange)
            return;
        var needs = work.Docket.DataBytes + SpaceMargin;
        if (target.FreeBytes >= needs)
            return;
        var shown = work.Machine.Volumes.Show(work.Docket.Target);
        throw work.Docket.Work == DocketWork.Return && HasOriginal(work, target)
            ? Faults.OriginalInTheWay(shown, needs, target.FreeBytes)
            : Faults.TargetFuller(shown, needs, target.FreeBytes);
    }

    /// <summary>Whether the original of what is returned still takes room on the volume.</summary>
    private static bool HasOriginal(Work work, IVolume volume)
    {
        foreach (var earlier in work.Docket.Supersedes)
            using (var folder = work.TryFolderOf(earlier, DocketSide.Original, volume, work.Docket.Target))
                if (folder is { HoldsOriginal: true })
                    return true;
        return false;
    }

    /// <summary>Makes the folders above the target; those from <see cref="Docket.OwnedFrom"/> on belong to the account and to nobody else.</summary>
    internal static IFolder MakeParents(Work work, IFolder root)
    {
        var parts = work.Docket.Target.Parts;
        var at = root.OpenFolder(".");
        try
        {
            for (var i = 0; i < parts.Count - 1; i++)
            {
                if (at.Find(parts[i]) is null)
                {
                    if (work.Noted(MadeFrom) is null)
                        work.Note(MadeFrom, i.ToString(CultureInfo.InvariantCulture));
                    using (work.In(at, work.TargetVolume()))
                        MakeFolder(work, at, parts[i], i >= work.Docket.OwnedFrom);
                }
                var next = at.OpenSubvolume(parts[i]);
                at.Dispose();
                at = next;
            }
            return at;
        }
        catch
        {
            // A handle left open would keep the volume from being unmounted.
            at.Dispose();
            throw;
        }
    }

    /// <summary>Makes one folder: an account's own and closed to others, or the system's and open.</summary>
    internal static void MakeFolder(Work work, IFolder parent, string name, bool owned)
    {
        using (var made = parent.MakeFolder(name, owned ? Layout.Closed : Layout.Open))
            if (owned)
                work.Machine.Accounts.Give(made, work.Docket.Holding.Account, work.Docket.AccountId);
            else
                made.Apply(made.Facts() with { Mode = Layout.Open }, Attributes.None);
        parent.Flush();
    }

    /// <summary>I12: whoever could not reach the source cannot reach the target; the holding's own rights come along, so the folders above decide.</summary>
    internal static void RequireNobodyNew(Work work, IVolume sourceVolume, IFolder targetRoot)
    {
        if (!work.TargetVolume().Abilities.Owners)
            return;
        using var sourceRoot = sourceVolume.OpenRoot();
        using var holding = Reach.Folder(sourceRoot, work.Docket.Source.Parts);
        var itself = (holding.Facts(), holding.ReadAttributes());
        var accounts = work.Machine.Accounts;
        var reaching = accounts.WhoReaches([.. Above(sourceRoot, work.Docket.Source), itself]);
        if (work.Docket.Work == DocketWork.Relocate)
            work.Note(ReachedBy, string.Join('/', reaching.Order(StringComparer.Ordinal)));
        var before =
            work.Docket.Work == DocketWork.Return
                ? work
                    .Docket.Supersedes.SelectMany(e =>
                        work.Journal.Read(e).Notes.GetValueOrDefault(ReachedBy)?.Split('/') ?? []
                    )
                    .ToHashSet(StringComparer.Ordinal)
                : [];
        // Whoever has no name here could reach it before: so could everybody.
        if (before.Contains(IAccounts.Others))
            return;
        var fresh = accounts
            .WhoReaches([.. Above(targetRoot, work.Docket.Target), itself])
            .Except(reaching)
            .Except(before)
            .Order(StringComparer.Ordinal)
            .ToList();
        if (fresh.Count == 0)
            return;
        throw new Fault(
            "target-too-open",
            $"Where it lives now the holding is closed to {string.Join(", ", fresh)}, but at `{work.Machine.Volumes.Show(work.Docket.Target)}` it would not be: its own rights and those of the folders above let them through.",
            $"Take their rights from the holding itself (`{work.Machine.Volumes.Show(work.Docket.Source)}`, for example to mode 0700), or close a folder above the target, then {{retry}}."
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
