using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Removes an original, after confirming everything again (I10), at every start again. The docket's target is where the
/// holding lives now, its source where the original was set aside. The live folder stays open while the original goes,
/// so that its volume is not taken away meanwhile.
/// </summary>
public sealed class DiscardStep : IStep
{
    /// <summary>
    /// A live folder with less than one of so many files of those that were relocated has shrunk a lot.
    /// </summary>
    private const int ShrunkTo = 2;

    /// <inheritdoc/>
    public Step Name => Step.Discard;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTarget;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTarget;

    /// <inheritdoc/>
    public bool NeedsPermit => true;

    /// <inheritdoc/>
    public bool EndsNeedOfPermit => true;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        foreach (var id in context.Docket.Originals)
            Discard(context, id);
    }

    private void Discard(StepContext context, Guid id)
    {
        var volume = context.Places.SourceVolume();
        using var at = context.Places.TryFolderOf(id, DocketSide.Original);
        if (at is null)
        {
            if (context.Journal.Records.Has<DiscardConfirmed>(DiscardConfirmed.KeyOf(id)))
                return;
            throw new Fault(
                FaultKinds.OriginalMissing,
                $"There is no original of `{context.Places.SourceShown}`: someone moved or removed it.",
                "Look for it manually; nothing was removed now."
            );
        }
        if (at.HoldsOriginal)
        {
            RequireDue(context);
            RequireUnused(context, at);
            using var live = OpenLive(context);
            ConfirmAgain(context, volume, at.Folder, live, id);
            context.Journal.Record(new DiscardConfirmed(id));
            var counter = context.Counter();
            using (context.Report.Watch(Name, counter))
                TreeRemoval.Run(at.Folder, Layout.Original, context.Stop, counter, volume.Workers);
        }
        at.Remove(context.Stop);
    }

    /// <summary>
    /// The service says that its time is over; so must the machine's own clock, unless someone decided otherwise.
    /// </summary>
    private static void RequireDue(StepContext context)
    {
        if (context.Docket.Discards is not { } terms)
            throw new Fault(
                FaultKinds.DiscardWithoutTerms,
                "The docket does not say until when the original is kept.",
                "Update the service."
            );
        if (terms.BeforeItsTime is null && context.Time.GetUtcNow() < terms.KeptUntil)
            throw new Fault(
                FaultKinds.OriginalKept,
                $"The original is kept until {terms.KeptUntil:yyyy-MM-dd HH:mm} UTC, and this machine's clock "
                    + $"says that it is {context.Time.GetUtcNow():yyyy-MM-dd HH:mm}.",
                "Wait until then, or say why it may go before its time."
            );
    }

    /// <summary>Anyone who holds a folder of the original could put something into it while it is removed.</summary>
    private static void RequireUnused(StepContext context, DocketFolder at)
    {
        var place = context.Docket.Source with { Path = Walk.Join(at.Path, Layout.Original) };
        if (context.Machine.Activity.InUse(place) is { Count: > 0 } list)
            throw Faults.FilesInUse(list);
    }

    private static IFolder OpenLive(StepContext context)
    {
        context.Settings.RequireAtTarget();
        using var parent = Reach.TryParent(context.Places.TargetVolume(), context.Docket.Target);
        if (parent?.Find(context.Docket.Target.Parts[^1]) is { Kind: NodeKind.Folder })
            return parent.OpenFolder(context.Docket.Target.Parts[^1]);
        throw new Fault(
            FaultKinds.LivePlaceMissing,
            $"There is no folder at `{context.Places.TargetShown}`, where the holding should live: the original may be all there is.",
            "Find the folder; discard the original only when it is there."
        );
    }

    private static void ConfirmAgain(StepContext context, IVolume volume, IFolder own, IFolder live, Guid id)
    {
        if (own.Find(Layout.Manifest) is null)
            throw new Fault(
                FaultKinds.OriginalUnknown,
                "The original has no manifest beside it, so nothing says whether it was written to.",
                "Look at it manually; Furlough does not remove what it cannot compare."
            );
        using (var original = own.OpenFolder(Layout.Original))
        {
            var changed = HasBegun(context, id)
                ? TreeProof.NotLeftOver(original, Manifest.ReadFrom(own), context.Stop)
                : TreeProof.Unchanged(original, Manifest.ReadFrom(own), volume.Workers, context.Stop).Difference;
            if (changed is { } change)
                throw new Fault(
                    FaultKinds.OriginalWrittenTo,
                    $"The original was written to after it was set aside: {change}.",
                    "Copy what is new to the live place first; Furlough removes only what is untouched."
                );
        }
        RequireNotShrunk(context, own, live);
    }

    /// <summary>Whether it was found unchanged once and its removal begun, by this docket or one before it.</summary>
    private static bool HasBegun(StepContext context, Guid id) =>
        context.Journal.Records.Has<DiscardConfirmed>(DiscardConfirmed.KeyOf(id))
        || context.Docket.Supersedes.Any(earlier =>
            context.Journal.Of(earlier).Records.Has<DiscardConfirmed>(DiscardConfirmed.KeyOf(id))
        );

    /// <summary>
    /// Someone may have emptied the live folder by mistake, or what is mounted there may be something else.
    /// </summary>
    private static void RequireNotShrunk(StepContext context, IFolder own, IFolder live)
    {
        if (context.Docket.Discards?.Acknowledged.Contains(DiscardTerms.Shrunk) == true)
            return;
        var relocated = Manifest.ReadFrom(own).LongCount(e => e.Facts.Kind != NodeKind.Folder);
        var enough = (relocated + ShrunkTo - 1) / ShrunkTo;
        var there = Contents.Count(live, enough, context.Stop);
        if (there >= enough)
            return;
        throw new Fault(
            FaultKinds.Shrunk,
            $"{relocated:N0} {(relocated == 1 ? "file was" : "files were")} relocated, {there:N0} "
                + $"{(there == 1 ? "is" : "are")} there now, at `{context.Places.TargetShown}`.",
            "Ask the person whether that was meant. If not, the original still has everything."
        );
    }
}
