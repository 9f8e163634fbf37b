using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is mounted only after somebody has signed in.</summary>
public sealed class TargetWithoutFixedMount : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is not { FixedMount: false } ? null
        : c.Say("target-without-fixed-mount", c.NeededAtSignIn ? Severity.Blocking : Severity.Consent, $"`{c.Target.Root}` of {c.Machine.Name} is mounted only after sign-in, so {c.Holding.Name} would be missing at first.", "Mount it at start-up (in the table of file systems), or accept it.");
}
