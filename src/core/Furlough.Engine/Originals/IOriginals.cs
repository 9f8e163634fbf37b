using Furlough.Engine.Context;
using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine.Originals;

/// <summary>What was at the source, kept untouched after the switch until it is discarded.</summary>
public interface IOriginals
{
    /// <summary>Sets the source aside, with its receipt. Repeatable.</summary>
    void SetAside(StepContext context, Receipt receipt);

    /// <summary>Puts it back where it was, as far as it was set aside.</summary>
    void PutBack(StepContext context);

    /// <summary>Whether it is set aside.</summary>
    bool IsAside(StepContext context);

    /// <summary>It still is what was proven (I3).</summary>
    /// <exception cref="Fault"><c>source-changed</c></exception>
    void RequireUnchanged(StepContext context);
}
