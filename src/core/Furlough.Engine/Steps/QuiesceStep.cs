using Furlough.Engine.Context;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Tells the person at the machine, keeps the account from signing in until reopen, and makes sure that nobody holds
/// files of the holding open.
/// </summary>
public class QuiesceStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Quiesce;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSource;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceClosed;

    /// <inheritdoc/>
    public bool NeedsPermit => true;

    /// <inheritdoc/>
    public bool IsAlwaysUndone => true;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        if (!SignIn.IsKeptOut(context) && context.Desk.Waits(context.Docket) is { } told)
            throw new Parked(told);
        SignIn.Bar(context);
        try
        {
            Occupancy.RequireNone(context, Name, () => InTheWay(context));
        }
        catch (Fault inUse) when (inUse.Kind.Class == FaultClass.Obstacle && context.Docket.Terms.KeepWaiting)
        {
            SignIn.Allow(context);
            throw new Parked(inUse);
        }
    }

    /// <inheritdoc/>
    public Fault? InTheWay(StepContext context) => Occupancy.Of(context, Moving(context));

    /// <inheritdoc/>
    public void Undo(StepContext context) => SignIn.Allow(context);

    /// <summary>Where nobody may hold files open.</summary>
    protected virtual Place Moving(StepContext context) => context.Docket.Source;
}

/// <summary>The same for a fall-back: what moves is the original, for the live place is lost.</summary>
public sealed class QuiesceOriginalStep : QuiesceStep
{
    /// <inheritdoc/>
    protected override Place Moving(StepContext context) => OriginalBack.PlaceOf(context);
}
