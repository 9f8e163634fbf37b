using Furlough.Engine.Context;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Compares the original once more with what was copied (I3), leaves a link at the former place where one is wanted,
/// then lets the account sign in again. After this there is no way back but a return.
/// </summary>
public sealed class ReopenStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Reopen;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTarget;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetOpen;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        if (!context.Journal.Records.Has<SourceCompared>())
        {
            context.Places.TargetVolume();
            context.Settings.RequireAtTarget();
            if (context.KeepsOriginal)
                CompareOriginal(context);
            FormerPlace.LeaveLink(context);
            context.Journal.Record(new SourceCompared());
        }
        SignIn.Allow(context);
    }

    /// <inheritdoc/>
    public bool IsPastReturn(StepContext context) => context.Journal.Records.Has<SourceCompared>();

    /// <inheritdoc/>
    public void Undo(StepContext context) => FormerPlace.TakeBackLink(context);

    private static void CompareOriginal(StepContext context)
    {
        var volume = context.Places.SourceVolume();
        using var copy = context.Places.Own(DocketSide.Copy);
        using var own = context.Places.Own(DocketSide.Original);
        using var original = own.Folder.OpenFolder(Layout.Original);
        if (
            TreeProof
                .Unchanged(original, Manifest.ReadFrom(copy.Folder, context.ListOfSource), volume.Workers, context.Stop)
                .Difference is
            { } change
        )
            throw Faults.SourceChanged(change);
    }
}
