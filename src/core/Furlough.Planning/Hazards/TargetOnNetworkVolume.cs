using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is a network volume.</summary>
public sealed class TargetOnNetworkVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-on-network-volume",
            Severity.Consent,
            "The target is a network volume.",
            "Describe the role with `attached: internal`, or accept it.",
            AtSignIn: Severity.Blocking,
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is not { Attached: Attachment.Network }
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} would live on the network volume `{c.Target.Root}` and be away with the network."
            );
}
