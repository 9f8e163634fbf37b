using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is mounted only after somebody has signed in, or it can be detached and is not mounted at start-up by its identity, with its encryption opened.</summary>
public sealed class TargetWithoutFixedMount : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("target-without-fixed-mount", Severity.Consent, "The target is mounted only after somebody has signed in, or it can be detached and is not mounted at start-up by its identity, with its encryption opened.", "Mount it at start-up by its identity (in the table of file systems, with UUID= or LABEL=; what is encrypted wants a line in the table of encrypted volumes too), or accept it.", AtSignIn: Severity.Blocking, OfSettings: true);

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is not { FixedMount: false } ? null
        : c.Say(Entry, $"Nothing mounts `{c.Target.Root}` of {c.Machine.Name} by its identity, and opens it, before somebody signs in: {c.Holding.Name} could be missing at first.");
}
