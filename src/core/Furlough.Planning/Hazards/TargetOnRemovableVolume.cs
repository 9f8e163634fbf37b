using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is a removable volume: slow, soon full, left behind in the back of a machine.</summary>
public sealed class TargetOnRemovableVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-on-removable-volume",
            Severity.Consent,
            "The target is a removable volume: slow, soon full, left behind in the back of a machine.",
            "Describe the role with `attached: internal`, or accept it.",
            AtSignIn: Severity.Blocking,
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is not { Attached: Attachment.Removable }
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} would live on the removable volume `{c.Target.Root}`, which is easily lost."
            );
}
