using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is an external volume.</summary>
public sealed class TargetOnExternalVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("target-on-external-volume", Severity.Consent, "The target is an external volume.", "Describe the role with `attached: internal`, or accept it.", AtSignIn: Severity.Blocking, OfSettings: true);

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is not { Attached: Attachment.External } ? null
        : c.Say(Entry, $"{c.Holding.Name} on {c.Machine.Name} would live on the external volume `{c.Target.Root}` and be away when that is unplugged.");
}
