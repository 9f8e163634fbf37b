using Furlough.Engine.Context;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Compares the original once more with what was copied (I3), leaves a link at the former place where one is wanted,
/// then releases the holds. After this there is no way back but a return.
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
            context.Originals?.RequireUnchanged(context);
            FormerPlace.LeaveLink(context);
            context.Journal.Record(new SourceCompared());
        }
        context.Holds.Release();
    }

    /// <inheritdoc/>
    public bool IsPastReturn(StepContext context) => context.Journal.Records.Has<SourceCompared>();

    /// <inheritdoc/>
    public void Undo(StepContext context) => FormerPlace.TakeBackLink(context);
}
