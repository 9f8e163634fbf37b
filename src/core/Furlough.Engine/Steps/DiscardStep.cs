using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Removes an original, after confirming everything again (I10). The docket's target is where the holding lives now, its source where the original was set aside.</summary>
public sealed class DiscardStep : IStep
{
    private const string Confirmed = "confirmed";

    /// <inheritdoc/>
    public Step Name => Step.Discard;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        foreach (var id in work.Docket.Originals) Discard(work, id);
    }

    private void Discard(Work work, Guid id)
    {
        var volume = work.SourceVolume();
        using var at = work.TryFolderOf(id, DocketSide.Original);
        if (at is null)
        {
            if (work.Noted(Confirmed + id) is not null) return;
            throw new Fault("original-missing", $"There is no original beside `{work.Machine.Volumes.Show(work.Docket.Source)}`: somebody moved or removed it.", "Look for it by hand; nothing was removed now.");
        }
        if (at.HoldsOriginal)
        {
            if (work.Noted(Confirmed + id) is null)
            {
                ConfirmAgain(work, volume, at.Folder, id);
                work.Note(Confirmed + id, "yes");
            }
            var counter = work.Counter();
            using (work.Watch(Name, counter)) TreeRemoval.Run(at.Folder, Layout.Original, work.Stop, counter, volume.Workers);
        }
        at.Remove(work.Stop);
    }

    private static void ConfirmAgain(Work work, IVolume volume, IFolder own, Guid id)
    {
        work.RequirePointersAtTarget();
        using var liveParent = Work.TryParent(work.TargetVolume(), work.Docket.Target);
        if (liveParent?.Find(work.Docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder })
            throw new Fault("live-place-missing", $"There is no folder at `{work.Machine.Volumes.Show(work.Docket.Target)}`, where the holding should live: the original may be all there is.",
                "Find the folder; discard the original only when it is there.");
        if (own.Find(Layout.Manifest) is null)
            throw new Fault("original-unknown", "The original has no manifest beside it, so nothing says whether it was written to.", "Look at it by hand; Furlough does not remove what it cannot compare.");
        using var original = own.OpenFolder(Layout.Original);
        var begunBefore = work.Docket.Supersedes.Any(earlier => work.Journal.Read(earlier).Notes.ContainsKey(Confirmed + id));
        var changed = begunBefore ? TreeProof.NotLeftOver(original, Work.ReadManifest(own), work.Stop)
            : TreeProof.Unchanged(original, Work.ReadManifest(own), volume.Workers, work.Stop).Difference;
        if (changed is { } change)
            throw new Fault("original-written-to", $"The original was written to after it was set aside: {change}.", "Copy what is new to the live place first; Furlough removes only what is untouched.");
    }
}
