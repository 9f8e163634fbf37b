using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is mounted only after somebody has signed in.</summary>
public sealed class TargetWithoutFixedMount : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("target-without-fixed-mount", Severity.Consent, "The target is mounted only after somebody has signed in.", "Mount it at start-up (in the table of file systems), or accept it.", AtSignIn: Severity.Blocking, OfSettings: true);

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is not { FixedMount: false } ? null
        : c.Say(Entry, $"`{c.Target.Root}` of {c.Machine.Name} is mounted only after sign-in, so {c.Holding.Name} would be missing at first.");
}
