using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is an external volume.</summary>
public sealed class TargetOnExternalVolume : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is not { Attached: Attachment.External } ? null
        : c.Say("target-on-external-volume", c.NeededAtSignIn ? Severity.Blocking : Severity.Consent, $"{c.Holding.Name} on {c.Machine.Name} would live on the external volume `{c.Target.Root}` and be away when that is unplugged.", "Describe the role with `attached: internal`, or accept it.");
}
