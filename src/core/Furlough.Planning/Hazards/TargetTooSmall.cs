using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target cannot hold the data beside what is planned before.</summary>
public sealed class TargetTooSmall : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-too-small",
            Severity.Blocking,
            "The target cannot hold the data beside what is planned before.",
            "Free space there, relocate fewer folders, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Method == Method.Exchange || c.LowestFreeBytes[c.Place.Volume] >= c.NeededBytes
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} needs {Words.Size(c.NeededBytes)} and `{c.Target.Root}` of {c.Machine.Name} would have {Words.Size(c.LowestFreeBytes[c.Place.Volume])} left."
            );
}
