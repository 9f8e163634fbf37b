using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is an external volume.</summary>
public sealed class TargetOnExternalVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("target-on-external-volume", Severity.Consent, "The target is an external volume, or one of which the system does not say how it is attached.", "Describe the role with `attached: internal`, or accept it.", AtSignIn: Severity.Blocking, OfSettings: true);

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is not { Attached: Attachment.External or Attachment.Unknown } ? null
        : c.Target.Attached == Attachment.Unknown ? c.Say(Entry, $"The system of {c.Machine.Name} does not say how the volume `{c.Target.Root}` is attached: {c.Holding.Name} would be away if it is unplugged.", "Make sure that it stays, and accept it.")
        : c.Say(Entry, $"{c.Holding.Name} on {c.Machine.Name} would live on the external volume `{c.Target.Root}` and be away when that is unplugged.");
}
