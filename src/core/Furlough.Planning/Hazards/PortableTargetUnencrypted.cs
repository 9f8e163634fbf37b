using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is a volume that can be carried away, and nothing shows that it is encrypted.</summary>
public sealed class PortableTargetUnencrypted : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "portable-target-unencrypted",
            Severity.Consent,
            "The target is a volume that can be carried away, and nothing shows that it is encrypted.",
            "Encrypt the volume so that it opens at start-up, describe another one, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target
            is not { Attached: Attachment.External or Attachment.Removable or Attachment.Unknown, Encrypted: false }
            ? null
            : c.Say(
                Entry,
                $"Whoever picks up the volume `{c.Target.Root}` of {c.Machine.Name} could read {c.Holding.Name}: it is {(c.Target.Attached == Attachment.Unknown ? "attached in a way that the system does not tell" : c.Target.Attached.Word())}, and nothing shows that it is encrypted."
            );
}
