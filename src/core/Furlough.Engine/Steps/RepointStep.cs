using Furlough.Engine.Context;
using Furlough.Engine.Originals;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Makes the target what the holding is to be, by one rename, then changes every pointer by compare-and-swap. Where the
/// data comes from is what the methods differ in.
/// </summary>
public abstract class RepointStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Repoint;

    /// <inheritdoc/>
    public StepState Entering => StepState.BetweenHeld;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetHeld;

    /// <inheritdoc/>
    public bool NeedsPermit => true;

    /// <inheritdoc/>
    public bool EndsNeedOfPermit => true;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var targetVolume = context.Places.TargetVolume();
        using (var parent = Reach.Parent(targetVolume, context.Docket.Target))
            Arrive(context, targetVolume, parent);
        context.Settings.Change();
        context.Places.TargetVolume();
        context.Settings.RequireAtTarget();
    }

    /// <inheritdoc/>
    public abstract void Undo(StepContext context);

    /// <summary>Puts the data at the target.</summary>
    private protected abstract void Arrive(StepContext context, IVolume targetVolume, IFolder parent);

    /// <summary>Moves a folder to the target, once.</summary>
    /// <param name="from">The folder that holds it.</param>
    private protected static void Arrive(
        StepContext context,
        IFolder from,
        string name,
        IVolume targetVolume,
        IFolder parent
    )
    {
        var leaf = context.Docket.Target.Parts[^1];
        if (from.Find(name) is not { } moving)
        {
            if (IsArrived(context, parent))
                return;
            throw Faults.CopyMissing();
        }
        context.Journal.Record(new Arriving(moving.FileId));
        FormerPlace.GiveWay(context, parent);
        if (parent.Find(leaf) is { Kind: NodeKind.Folder } && context.Journal.Records.Has<EmptyTarget>())
            using (context.Places.In(parent, targetVolume))
                parent.RemoveFolder(leaf);
        from.Move(name, parent, leaf);
        RequireArrived(context, from, name, targetVolume, parent);
        parent.Flush();
        from.Flush();
    }

    /// <summary>
    /// The whole path must lead to what was moved: anyone who owns a folder above may have moved that away meanwhile.
    /// Then everything goes back.
    /// </summary>
    private static void RequireArrived(
        StepContext context,
        IFolder from,
        string name,
        IVolume targetVolume,
        IFolder parent
    )
    {
        using var walked = Reach.TryParent(targetVolume, context.Docket.Target);
        if (walked is not null && walked.Facts().FileId == parent.Facts().FileId && IsArrived(context, walked))
            return;
        parent.Move(context.Docket.Target.Parts[^1], from, name);
        throw new Fault(
            FaultKinds.TargetMovedAway,
            $"The folders above `{context.Places.TargetShown}` were moved or replaced while the holding was put there.",
            "Find out who did that."
        );
    }

    /// <summary>Whether the folder at the target is the one that this docket put there.</summary>
    internal static bool IsArrived(StepContext context, IFolder parent) =>
        context.Journal.Records.Find<Arriving>() is { FileId: var id }
        && parent.Find(context.Docket.Target.Parts[^1]) is { Kind: NodeKind.Folder } there
        && there.FileId == id;

    /// <summary>Whether a copy that is to be taken back from the target is still there.</summary>
    internal static bool StaysAtTarget(StepContext context, IFolder parent) =>
        MayLeave(context) && IsArrived(context, parent);

    /// <summary>
    /// Whether nothing leads to the target any more. Links in a holding's place are corrected with the place itself.
    /// </summary>
    private protected static bool MayLeave(StepContext context) =>
        context.Docket.Pointers.All(p => p.Address.InPlace) || context.Live.Now() != Live.Target;
}

/// <summary>The proven copy becomes the target.</summary>
public class RepointCopyStep : RepointStep
{
    /// <inheritdoc/>
    public override void Undo(StepContext context)
    {
        // What could not be put back at the source lives on at the target.
        if (context.Originals?.IsAside(context) == true)
            return;
        context.Settings.PutBack();
        context.Report.Try(
            fault => $"The unfinished copy could not be removed now ({fault}); the next attempt removes it.",
            () => TakeBack(context)
        );
    }

    /// <summary>Where it waits, and goes back to.</summary>
    private protected virtual (DocketFolder At, string Name) Waiting(StepContext context) =>
        (context.Places.Own(DocketSide.Copy), Layout.Staging);

    private protected override void Arrive(StepContext context, IVolume targetVolume, IFolder parent)
    {
        var (at, name) = Waiting(context);
        using (at)
            Arrive(context, at.Folder, name, targetVolume, parent);
    }

    private void TakeBack(StepContext context)
    {
        using var parent = Reach.TryParent(context.Places.TargetVolume(), context.Docket.Target);
        if (parent is null || !StaysAtTarget(context, parent))
            return;
        var (at, name) = Waiting(context);
        using (at)
        {
            parent.Move(context.Docket.Target.Parts[^1], at.Folder, name);
            at.Folder.Flush();
        }
        parent.Flush();
    }
}

/// <summary>The original of what is returned becomes the target: nothing has changed since it was set aside.</summary>
public sealed class RepointRenamedStep : RepointCopyStep
{
    private protected override (DocketFolder At, string Name) Waiting(StepContext context) =>
        (OriginalBack.Folder(context) ?? throw Faults.CopyMissing(), Layout.Original);
}

/// <summary>What was adopted stays where it is.</summary>
public sealed class RepointAdoptedStep : RepointStep
{
    /// <inheritdoc/>
    public override void Undo(StepContext context) => context.Settings.PutBack();

    private protected override void Arrive(StepContext context, IVolume targetVolume, IFolder parent)
    {
        if (context.Journal.Records.Has<Arriving>())
            return;
        if (parent.Find(context.Docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder } there)
            throw Faults.CopyMissing();
        context.Journal.Record(new Arriving(there.FileId));
    }
}

/// <summary>The source itself becomes the target.</summary>
public sealed class RepointSourceStep : RepointStep
{
    /// <inheritdoc/>
    public override void Undo(StepContext context)
    {
        TakeBack(context);
        context.Settings.PutBack();
    }

    private protected override void Arrive(StepContext context, IVolume targetVolume, IFolder parent)
    {
        using var above = Reach.Parent(context.Places.SourceVolume(), context.Docket.Source);
        Arrive(context, above, context.Docket.Source.Parts[^1], targetVolume, parent);
    }

    private static void TakeBack(StepContext context)
    {
        var leaf = context.Docket.Source.Parts[^1];
        using var parent = Reach.Parent(context.Places.SourceVolume(), context.Docket.Source);
        using var targetParent = Reach.TryParent(context.Places.TargetVolume(), context.Docket.Target);
        if (targetParent is null || !IsArrived(context, targetParent) || parent.Find(leaf) is not null)
            return;
        targetParent.Move(context.Docket.Target.Parts[^1], parent, leaf);
        parent.Flush();
        targetParent.Flush();
    }
}

/// <summary>An original becomes the target, because the live place is lost.</summary>
public sealed class RepointOriginalStep : RepointStep
{
    /// <inheritdoc/>
    public override void Undo(StepContext context)
    {
        TakeBack(context);
        context.Settings.PutBack();
    }

    private protected override void Arrive(StepContext context, IVolume targetVolume, IFolder parent)
    {
        using var at = OriginalBack.Folder(context) ?? throw Faults.CopyMissing();
        Arrive(context, at.Folder, Layout.Original, targetVolume, parent);
    }

    /// <summary>What was to become live is an original once more.</summary>
    private static void TakeBack(StepContext context)
    {
        using var parent = Reach.Parent(context.Places.TargetVolume(), context.Docket.Target);
        using var at = OriginalBack.Folder(context);
        if (at?.Folder is { } own && IsArrived(context, parent))
        {
            parent.Move(context.Docket.Target.Parts[^1], own, Layout.Original);
            own.Flush();
            parent.Flush();
        }
        TargetFolders.RestoreEmpty(context, parent);
    }
}
