using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>On a volume there is no folder in which only the system can rename anything.</summary>
public sealed class NoClosedFolder : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "no-closed-folder",
            Severity.Blocking,
            "Somebody but the system can rename what stands in the root folder of the volume: copies and originals are safe nowhere on it.",
            "Give the root folder of that volume to the system (owner root, mode 0755, or 1777 where people make folders there), then survey again."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        new[] { c.Target, c.Source }.FirstOrDefault(v => v is { RootOpen: true }) is not { } open
            ? null
            : c.Say(
                Entry,
                $"On `{open.Root}` of {c.Machine.Name} anybody can rename what stands in the root folder, so {c.Holding.Name} could be exchanged while it is relocated."
            );
}
