using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target is the system volume: nothing is gained, and the next image overwrites it.</summary>
public sealed class TargetOnSystemVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-on-system-volume",
            Severity.Consent,
            "The target is the system volume: nothing is gained, and the next image overwrites it.",
            "Describe the role with `system: false`, or accept it.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is not { System: true }
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} would live on the system volume, which rebuilding the machine overwrites."
            );
}
