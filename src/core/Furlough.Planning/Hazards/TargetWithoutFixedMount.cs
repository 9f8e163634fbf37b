using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is mounted only after someone has signed in, or it can be detached and is not mounted by its identity (and unlocked) at start-up.</summary>
public sealed class TargetWithoutFixedMount : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-without-fixed-mount",
            Severity.Consent,
            "The target is mounted only after someone has signed in, or it can be detached and is not mounted by its identity (and unlocked) at start-up.",
            "Mount it at start-up by its identity (in the table of file systems, with UUID= or LABEL=; an encrypted volume also needs an entry that unlocks it at start-up), or accept it.",
            AtSignIn: Severity.Blocking,
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is not { FixedMount: false }
            ? null
            : c.Say(
                Entry,
                $"`{c.Target.Root}` of {c.Machine.Name} is not mounted by its identity (and unlocked) before anyone signs in: {c.Holding.Name} could be missing at first."
            );
}
