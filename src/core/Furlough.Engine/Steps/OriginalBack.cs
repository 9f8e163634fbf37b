using System.Globalization;
using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The original that becomes live again by a rename: the one that a fall-back names, and the one that a return finds
/// unchanged while what lives now is equal to it in everything that is copied. Then nothing needs to be copied, and no
/// room is needed beside it.
/// </summary>
internal static class OriginalBack
{
    /// <summary>What lives now, listed while it is compared.</summary>
    private const string Listing = "compared";

    /// <summary>The docket that set it aside; null where a copy becomes live.</summary>
    internal static Guid? Of(StepContext context) =>
        context.Docket.Work == DocketWork.FallBack ? context.Docket.Originals[0] : TakenBy(context.Journal.State);

    /// <summary>The same of another docket, which was a return.</summary>
    internal static Guid? TakenBy(JournalState state) => state.Records.Find<RenamesBack>()?.Docket;

    /// <summary>The folder that holds it, or held it; null when it is gone.</summary>
    internal static DocketFolder? Folder(StepContext context) => Of(context) is { } id ? FolderOf(context, id) : null;

    /// <summary>The same of the docket that set it aside.</summary>
    internal static DocketFolder? FolderOf(StepContext context, Guid id) =>
        context.Places.TryFolderOf(id, DocketSide.Original, context.Places.TargetVolume(), context.Docket.Target);

    /// <summary>Where the original of a fall-back stands.</summary>
    internal static Place PlaceOf(StepContext context)
    {
        using var folder = Folder(context);
        var path = Walk.Join(folder?.Path ?? context.Docket.Target.Path, Layout.Original);
        return context.Docket.Target with { Path = path };
    }

    /// <summary>
    /// Decides, by what the file systems say and without reading contents, whether a return may rename an original
    /// back.
    /// </summary>
    internal static void Choose(StepContext context)
    {
        if (
            context.Docket is not { Work: DocketWork.Return, Method: not Method.Exchange }
            || context.Journal.Records.Has<RenamesBack>()
        )
            return;
        var unfit = context
            .Docket.Supersedes.Select(d => context.Journal.Of(d).Records.Find<UnfitOriginal>()?.Docket)
            .ToHashSet();
        var equal = context
            .Docket.Supersedes.Where(e => !unfit.Contains(e) && LooksEqual(context, e))
            .Select(e => (Guid?)e);
        context.Journal.Record(new RenamesBack(equal.FirstOrDefault()));
    }

    private static bool LooksEqual(StepContext context, Guid earlier)
    {
        try
        {
            using var at = FolderOf(context, earlier);
            if (at is not { HoldsOriginal: true, Folder: var own } || own.Find(Layout.Manifest) is null)
                return false;
            using (var original = own.OpenFolder(Layout.Original))
                if (
                    TreeProof
                        .Unchanged(
                            original,
                            Manifest.ReadFrom(own),
                            context.Places.TargetVolume().Workers,
                            context.Stop
                        )
                        .Difference
                    is not null
                )
                    return false;
            using var live = CopyStep.OpenHolding(context, context.Places.SourceVolume());
            return TreeProof
                .Copy(
                    live,
                    Manifest.ReadFrom(own).Select(e => e with { IsProven = true }),
                    context.Places.SourceVolume(),
                    new TreeCounter(),
                    context.Stop
                )
                .Difference
                is null;
        }
        catch (Fault)
        {
            // What cannot be read is not renamed back; whatever stands in the way of a copy is said by the copy.
            return false;
        }
    }

    /// <summary>
    /// Reads what lives now and compares it with what was set aside; lists it as the manifest. False: it is copied like
    /// everything else.
    /// </summary>
    internal static bool TryList(StepContext context, Step step)
    {
        var source = context.Places.SourceVolume();
        context.Journal.Record(new LiveFlushed(CopyStep.Flushed(source)));
        using var live = CopyStep.OpenHolding(context, source);
        using var at = context.Places.Own(DocketSide.Copy);
        using var aside = Folder(context);
        if (aside is { HoldsOriginal: true } && TryList(context, step, live, at.Folder, aside.Folder))
            return true;
        context.Journal.Record(new RenamesBack(null));
        Preparation.RequireSpace(context, context.Places.TargetVolume());
        return false;
    }

    private static bool TryList(StepContext context, Step step, IFolder live, IFolder own, IFolder aside)
    {
        foreach (var name in (string[])[Layout.Manifest, Listing])
            if (own.Find(name) is not null)
                own.RemoveFile(name);
        var counter = context.Counter();
        var equal = true;
        using (context.Report.Watch(step, counter))
        using (var list = own.MakeFile(Listing))
            Manifest.Append(list, Equal(), end: true);
        if (!equal)
        {
            own.RemoveFile(Listing);
            return false;
        }
        own.Move(Listing, own, Layout.Manifest);
        own.Flush();
        return true;

        IEnumerable<ManifestEntry> Equal()
        {
            using var then = Manifest.ReadFrom(aside).GetEnumerator();
            foreach (var now in TreeListing.Of(live, counter, _ => { }, context.Stop))
            {
                equal = then.MoveNext() && IsSame(now, then.Current);
                if (!equal)
                    yield break;
                yield return now;
            }
            equal = !then.MoveNext();
        }
    }

    /// <summary>Whether a copy of the one would be the other.</summary>
    private static bool IsSame(ManifestEntry now, ManifestEntry then) =>
        now.Facts.Kind == then.Facts.Kind
        && (now.Facts.Kind != NodeKind.File || now.Facts.SizeBytes == then.Facts.SizeBytes)
        && now.Facts.ModifiedNs == then.Facts.ModifiedNs
        && (now.Facts.Kind == NodeKind.Link || now.Facts.Mode == then.Facts.Mode)
        && (now.Facts.Owner, now.Facts.Group) == (then.Facts.Owner, then.Facts.Group)
        && (now.Path, now.Digest, now.AttributesDigest, now.Link)
            == (then.Path, then.Digest, then.AttributesDigest, then.Link);

    /// <summary>Reads the original from the medium and compares it with what lives now.</summary>
    /// <exception cref="Fault"><c>original-changed</c>: the next attempt copies what lives now.</exception>
    internal static void Prove(StepContext context, Step step, IFolder own)
    {
        using var aside = Folder(context) ?? throw RepointStep.Missing();
        using var original = aside.Folder.OpenFolder(Layout.Original);
        ProveStep.Prove(context, step, own, original, context.Places.TargetVolume(), null, difference =>
        {
            context.Journal.Record(new UnfitOriginal(Of(context)!.Value));
            return new Fault(
                FaultKinds.OriginalChanged,
                $"The original reads otherwise than when it was set aside ({difference}); it stays where it is.",
                "Have the disk checked. The next attempt copies back what lives now."
            );
        });
    }

    /// <summary>
    /// After quiesce: what lives now still is what was compared while people could go on working. What was written in a
    /// way that shows in no time is read again.
    /// </summary>
    /// <exception cref="Fault">People changed something meanwhile: the next attempt copies.</exception>
    internal static void RequireStillEqual(StepContext context, Step step)
    {
        var source = context.Places.SourceVolume();
        using var at = context.Places.Own(DocketSide.Copy);
        CopyStep.Flushed(source);
        ProveStep.RequireSourceUnchanged(context, step, at.Folder, source);
        var flushed = context.Journal.Records.Find<LiveFlushed>()!.AtNs;
        var written = source.Abilities.ShowsEveryWrite() ? context.Writes.Written(source) : null;
        using var live = CopyStep.OpenHolding(context, source);
        var difference = TreeProof
            .Copy(
                live,
                Manifest.ReadFrom(at.Folder).Select(e => e with { IsProven = IsSettled(e.Facts) }),
                source,
                context.Counter(),
                context.Stop
            )
            .Difference;
        if (difference is not null)
            throw Faults.SourceChanged(difference);

        bool IsSettled(NodeFacts facts) =>
            written?.Contains(facts.FileId) == false && TreeCopy.ShowsNextWrite(facts, flushed);
    }

    /// <summary>
    /// What is left of its folder when it has become live: lists and receipts of what is an original no more.
    /// </summary>
    internal static void RemoveEmptied(StepContext context)
    {
        try
        {
            using var folder = Folder(context);
            if (folder is { HoldsOriginal: false })
                folder.Remove(CancellationToken.None);
        }
        catch (Fault)
        {
            // The holding is back; lists that cannot be removed now stay beside it.
        }
    }
}
