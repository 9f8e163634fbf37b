using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Proofs;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Reads what lives now and compares it with the original that is to be renamed back. Where the two differ, what lives
/// now is copied after all.
/// </summary>
/// <param name="otherwise">The step that copies.</param>
public class CompareOriginalStep(IStep otherwise) : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Copy;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSource;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSource;

    /// <inheritdoc/>
    public virtual void Perform(StepContext context)
    {
        if (!EqualOriginal.TryList(context, Name))
            otherwise.Perform(context);
    }
}

/// <summary>The same while people go on working.</summary>
public sealed class CompareOriginalInUseStep(IStep otherwise) : CompareOriginalStep(otherwise)
{
    /// <inheritdoc/>
    public override void Perform(StepContext context)
    {
        context.Writes.Begin(context.Places.SourceVolume());
        base.Perform(context);
    }
}

/// <summary>After quiesce: what lives now is still equal to the original that is to be renamed back.</summary>
public sealed class CompareAgainStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.CatchUp;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSourceHeld;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceHeld;

    /// <inheritdoc/>
    public void Perform(StepContext context) => EqualOriginal.RequireStillEqual(context, Name);
}
