using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is an external volume.</summary>
public sealed class TargetOnExternalVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-on-external-volume",
            Severity.Consent,
            "The target is an external volume, or one of which the system does not say how it is attached.",
            "Describe the role with `attached: internal`, or accept it. What is needed at sign-in wants a drill with the volume that has passed (`furlough machine drill`).",
            AtSignIn: Severity.Blocking,
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Target is not { Attached: Attachment.External or Attachment.Unknown } target)
            return null;
        var found =
            target.Attached == Attachment.Unknown
                ? c.Say(
                    Entry,
                    $"The system of {c.Machine.Name} does not say how the volume `{target.Root}` is attached: {c.Holding.Name} would be away if it is unplugged.",
                    "Make sure that it stays, and accept it."
                )
                : c.Say(
                    Entry,
                    $"{c.Holding.Name} on {c.Machine.Name} would live on the external volume `{target.Root}` and be away when that is unplugged."
                );
        if (found.Severity != Severity.Blocking)
            return found;
        return c.Machine.Drilled.Contains(target.Identity.Key)
            ? found with
            {
                Severity = Severity.Consent,
                Text = $"{found.Text} A drill with the volume has passed.",
                Remedy =
                    "Accept it; whoever detaches the volume is to know that only the fallback administrator can sign in then.",
            }
            : found with
            {
                Remedy =
                    $"Describe the role with `attached: internal`; or try what happens without the volume: `furlough machine drill {c.Machine.Name} --volume {target.Root} --account {c.Account.Name}`. With a drill that has passed it may be accepted.",
            };
    }
}
