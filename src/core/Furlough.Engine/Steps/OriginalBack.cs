using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The original that becomes live again by a rename: the one that a fall-back names, and the one that a return finds unchanged while what
/// lives now is equal to it in everything that is copied. Then nothing needs to be copied, and no room is needed beside it.
/// </summary>
internal static class OriginalBack
{
    /// <summary>The docket that set aside what a return renames back; empty where that was given up.</summary>
    private const string Taken = "original-back";

    /// <summary>The docket whose original reads otherwise than it was, although nothing told so: no return tries it again.</summary>
    private const string Unfit = "original-unfit";

    /// <summary>When the live place was flushed before it was compared, in nanoseconds since 1970.</summary>
    private const string FlushedAt = "original-back-flushed";

    /// <summary>What lives now, listed while it is compared.</summary>
    private const string Listing = "compared";

    /// <summary>The docket that set it aside; null where a copy becomes live.</summary>
    internal static Guid? Of(Work work) =>
        work.Docket.Work == DocketWork.FallBack ? work.Docket.Originals[0] : TakenBy(work.Journal.Read(work.Docket.Id));

    /// <summary>The same of another docket, which was a return.</summary>
    internal static Guid? TakenBy(JournalState state) =>
        Guid.TryParse(state.Notes.GetValueOrDefault(Taken), out var id) ? id : null;

    /// <summary>The folder that holds it, or held it; null when it is gone.</summary>
    internal static DocketFolder? Folder(Work work) => Of(work) is { } id ? FolderOf(work, id) : null;

    /// <summary>The same of the docket that set it aside.</summary>
    internal static DocketFolder? FolderOf(Work work, Guid id) =>
        work.TryFolderOf(id, DocketSide.Original, work.TargetVolume(), work.Docket.Target);

    /// <summary>Decides, by what the file systems say and without reading contents, whether a return may rename an original back.</summary>
    internal static void Choose(Work work)
    {
        if (
            work.Docket is not { Work: DocketWork.Return, Method: not Method.Exchange }
            || work.Noted(Taken) is not null
        )
            return;
        var unfit = work.Docket.Supersedes.Select(d => work.Journal.Read(d).Notes.GetValueOrDefault(Unfit)).ToHashSet();
        work.Note(
            Taken,
            work.Docket.Supersedes.Where(e => !unfit.Contains(e.ToString("N")) && LooksEqual(work, e))
                .Select(e => e.ToString("N"))
                .FirstOrDefault("")
        );
    }

    private static bool LooksEqual(Work work, Guid earlier)
    {
        try
        {
            using var at = FolderOf(work, earlier);
            if (at is not { HoldsOriginal: true, Folder: var own } || own.Find(Layout.Manifest) is null)
                return false;
            using (var original = own.OpenFolder(Layout.Original))
                if (
                    TreeProof
                        .Unchanged(original, Work.ReadManifest(own), work.TargetVolume().Workers, work.Stop)
                        .Difference
                    is not null
                )
                    return false;
            using var live = CopyStep.OpenHolding(work, work.SourceVolume());
            return TreeProof
                .Copy(
                    live,
                    Work.ReadManifest(own).Select(e => e with { IsProven = true }),
                    work.SourceVolume(),
                    new TreeCounter(),
                    work.Stop
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

    /// <summary>Reads what lives now and compares it with what was set aside; lists it as the manifest. False: it is copied like everything else.</summary>
    internal static bool TryList(Work work, Step step)
    {
        var source = work.SourceVolume();
        if (work.Docket.Method == Method.Warm)
            work.Writes.Begin(source);
        work.Note(FlushedAt, CopyStep.Flushed(source).ToString(CultureInfo.InvariantCulture));
        using var live = CopyStep.OpenHolding(work, source);
        using var at = work.Own(DocketSide.Copy);
        using var aside = Folder(work);
        if (aside is { HoldsOriginal: true } && TryList(work, step, live, at.Folder, aside.Folder))
            return true;
        work.Note(Taken, "");
        PrepareStep.RequireSpace(work, work.TargetVolume());
        return false;
    }

    private static bool TryList(Work work, Step step, IFolder live, IFolder own, IFolder aside)
    {
        foreach (var name in (string[])[Layout.Manifest, Listing])
            if (own.Find(name) is not null)
                own.RemoveFile(name);
        var counter = work.Counter();
        var equal = true;
        using (work.Watch(step, counter))
        using (var list = own.MakeFile(Listing))
            Trees.Manifest.Append(list, Equal(), end: true);
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
            using var then = Work.ReadManifest(aside).GetEnumerator();
            foreach (var now in TreeListing.Of(live, counter, _ => { }, work.Stop))
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
    internal static void Prove(Work work, Step step, IFolder own)
    {
        using var aside = Folder(work) ?? throw RepointStep.Missing();
        using var original = aside.Folder.OpenFolder(Layout.Original);
        ProveStep.Prove(work, step, own, original, work.TargetVolume(), null, difference =>
        {
            work.Note(Unfit, Of(work)!.Value.ToString("N"));
            return new Fault(
                "original-changed",
                $"The original reads otherwise than when it was set aside ({difference}); it stays where it is.",
                "Have the disk looked at; then {retry}: the next attempt copies back what lives now."
            );
        });
    }

    /// <summary>After quiesce: what lives now still is what was compared while people could go on working. What was written in a way that shows in no time is read again.</summary>
    /// <exception cref="Fault">People changed something meanwhile: the next attempt copies.</exception>
    internal static void RequireStillEqual(Work work, Step step)
    {
        var source = work.SourceVolume();
        using var at = work.Own(DocketSide.Copy);
        CopyStep.Flushed(source);
        ProveStep.RequireSourceUnchanged(work, step, at.Folder, source);
        var flushed = long.Parse(work.Noted(FlushedAt)!, CultureInfo.InvariantCulture);
        var written = source.Abilities.ShowsEveryWrite() ? work.Writes.Written(source) : null;
        using var live = CopyStep.OpenHolding(work, source);
        var difference = TreeProof
            .Copy(
                live,
                Work.ReadManifest(at.Folder).Select(e => e with { IsProven = IsSettled(e.Facts) }),
                source,
                work.Counter(),
                work.Stop
            )
            .Difference;
        if (difference is not null)
            throw Faults.SourceChanged(difference);

        bool IsSettled(NodeFacts facts) =>
            written?.Contains(facts.FileId) == false && TreeCopy.ShowsNextWrite(facts, flushed);
    }

    /// <summary>What is left of its folder when it has become live: lists and receipts of what is an original no more.</summary>
    internal static void RemoveEmptied(Work work)
    {
        try
        {
            using var folder = Folder(work);
            if (folder is { HoldsOriginal: false })
                folder.Remove(CancellationToken.None);
        }
        catch (Fault)
        {
            // The holding is back; lists that cannot be removed now stay beside it.
        }
    }
}
