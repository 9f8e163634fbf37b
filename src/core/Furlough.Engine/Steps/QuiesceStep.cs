using Furlough.Engine.Context;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Tells the person at the machine, then takes the holds, so that nobody writes to the holding until reopen.
/// </summary>
public sealed class QuiesceStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Quiesce;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSource;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceHeld;

    /// <inheritdoc/>
    public bool NeedsPermit => true;

    /// <inheritdoc/>
    public bool IsAlwaysUndone => true;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        if (!context.Holds.Any && context.Desk.Waits(context.Docket) is { } told)
            throw new Parked(told);
        try
        {
            context.Holds.Take(Name);
        }
        catch (Fault inUse) when (inUse.Kind.Class == FaultClass.Obstacle && context.Docket.Terms.KeepWaiting)
        {
            context.Holds.Release();
            throw new Parked(inUse);
        }
    }

    /// <inheritdoc/>
    public Fault? InTheWay(StepContext context) => context.Holds.InTheWay();

    /// <inheritdoc/>
    public void Undo(StepContext context) => context.Holds.Release();
}
