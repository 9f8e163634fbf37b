using Furlough.Engine.Context;
using Furlough.Model;

namespace Furlough.Engine.Proofs;

/// <summary>How it is shown that what is to become live is right (I3).</summary>
public interface IProof
{
    /// <summary>Compares what is to become live with what it must equal; records how much was proven.</summary>
    /// <exception cref="Fault">It differs.</exception>
    void Prove(StepContext context, Step step);

    /// <summary>Nobody uses what it was compared with, and that is still the same.</summary>
    /// <exception cref="Fault"><c>source-changed</c>, or someone uses it.</exception>
    void RequireStillTrue(StepContext context, Step step);
}
