using Furlough.Engine.Context;
using Furlough.Engine.Proofs;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Proves what is to become live, then looks whether what it was compared with is still the same (I3).</summary>
/// <param name="during">The state in which it works.</param>
public sealed class ProveStep(IProof proof, StepState during) : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public StepState Entering => during;

    /// <inheritdoc/>
    public StepState Leaving => during;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        proof.Prove(context, Name);
        proof.RequireStillTrue(context, Name);
    }
}

/// <summary>The same while people go on working: what they change is caught up with, or looked at, after quiesce.</summary>
public sealed class ProveInUseStep(IProof proof) : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSource;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSource;

    /// <inheritdoc/>
    public void Perform(StepContext context) => proof.Prove(context, Name);
}
