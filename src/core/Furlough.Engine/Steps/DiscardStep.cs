using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Removes an original, after confirming everything again (I10), at every start anew. The docket's target is where the holding lives now, its source where the original was set aside. The
/// live folder stays open while the original goes, so that its volume is not taken away meanwhile.
/// </summary>
public sealed class DiscardStep : IStep
{
    private const string Confirmed = "confirmed";

    /// <summary>A live folder with less than one of so many files of those that were relocated has shrunk a lot.</summary>
    private const int ShrunkTo = 2;

    /// <inheritdoc/>
    public Step Name => Step.Discard;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        foreach (var id in work.Docket.Originals)
            Discard(work, id);
    }

    private void Discard(Work work, Guid id)
    {
        var volume = work.SourceVolume();
        using var at = work.TryFolderOf(id, DocketSide.Original);
        if (at is null)
        {
            if (work.Noted(Confirmed + id) is not null)
                return;
            throw new Fault(
                "original-missing",
                $"There is no original of `{work.Machine.Volumes.Show(work.Docket.Source)}`: somebody moved or removed it.",
                "Look for it by hand; nothing was removed now."
            );
        }
        if (at.HoldsOriginal)
        {
            RequireDue(work);
            RequireUnused(work, at);
            using var live = OpenLive(work);
            ConfirmAgain(work, volume, at.Folder, live, id);
            work.Note(Confirmed + id, "yes");
            var counter = work.Counter();
            using (work.Watch(Name, counter))
                TreeRemoval.Run(at.Folder, Layout.Original, work.Stop, counter, volume.Workers);
        }
        at.Remove(work.Stop);
    }

    /// <summary>The service says that its time is over; so must the machine's own clock, unless somebody decided otherwise.</summary>
    private static void RequireDue(Work work)
    {
        if (work.Docket.Discards is not { } terms)
            throw new Fault(
                "discard-without-terms",
                "The docket does not say until when the original is kept.",
                "Update the service, then {retry}."
            );
        if (terms.BeforeItsTime is null && work.Time.GetUtcNow() < terms.KeptUntil)
            throw new Fault(
                "original-kept",
                $"The original is kept until {terms.KeptUntil:yyyy-MM-dd HH:mm} UTC, and this machine's clock says that it is {work.Time.GetUtcNow():yyyy-MM-dd HH:mm}.",
                "Wait until then, or say why it may go before its time."
            );
    }

    /// <summary>Whoever holds a folder of the original could put something into it while it is removed.</summary>
    private static void RequireUnused(Work work, DocketFolder at)
    {
        var place = work.Docket.Source with { Path = Walk.Join(at.Path, Layout.Original) };
        if (work.Machine.Activity.InUse(place) is { Count: > 0 } list)
            throw Faults.FilesInUse(list);
    }

    private static IFolder OpenLive(Work work)
    {
        work.RequirePointersAtTarget();
        using var parent = Work.TryParent(work.TargetVolume(), work.Docket.Target);
        if (parent?.Find(work.Docket.Target.Parts[^1]) is { Kind: NodeKind.Folder })
            return parent.OpenFolder(work.Docket.Target.Parts[^1]);
        throw new Fault(
            "live-place-missing",
            $"There is no folder at `{work.Machine.Volumes.Show(work.Docket.Target)}`, where the holding should live: the original may be all there is.",
            "Find the folder; discard the original only when it is there."
        );
    }

    private static void ConfirmAgain(Work work, IVolume volume, IFolder own, IFolder live, Guid id)
    {
        if (own.Find(Layout.Manifest) is null)
            throw new Fault(
                "original-unknown",
                "The original has no manifest beside it, so nothing says whether it was written to.",
                "Look at it by hand; Furlough does not remove what it cannot compare."
            );
        using (var original = own.OpenFolder(Layout.Original))
        {
            var begunBefore =
                work.Noted(Confirmed + id) is not null
                || work.Docket.Supersedes.Any(earlier => work.Journal.Read(earlier).Notes.ContainsKey(Confirmed + id));
            var changed = begunBefore
                ? TreeProof.NotLeftOver(original, Work.ReadManifest(own), work.Stop)
                : TreeProof.Unchanged(original, Work.ReadManifest(own), volume.Workers, work.Stop).Difference;
            if (changed is { } change)
                throw new Fault(
                    "original-written-to",
                    $"The original was written to after it was set aside: {change}.",
                    "Copy what is new to the live place first; Furlough removes only what is untouched."
                );
        }
        RequireNotShrunk(work, own, live);
    }

    /// <summary>Somebody may have emptied the live folder by mistake, or what is mounted there may be something else.</summary>
    private static void RequireNotShrunk(Work work, IFolder own, IFolder live)
    {
        if (work.Docket.Discards?.Acknowledged.Contains(DiscardTerms.Shrunk) == true)
            return;
        var relocated = Work.ReadManifest(own).LongCount(e => e.Facts.Kind != NodeKind.Folder);
        var enough = (relocated + ShrunkTo - 1) / ShrunkTo;
        var there = Contents.Count(live, enough, work.Stop);
        if (there >= enough)
            return;
        throw new Fault(
            DiscardTerms.Shrunk,
            $"{relocated:N0} {(relocated == 1 ? "file was" : "files were")} relocated, {there:N0} {(there == 1 ? "is" : "are")} there now, at `{work.Machine.Volumes.Show(work.Docket.Target)}`.",
            "Ask the person whether that was meant. If it was, discard the original with `--acknowledge shrunk`; if not, the original still has everything."
        );
    }
}
