using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target cannot store owners and permissions, which the source has.</summary>
public sealed class TargetLacksOwners : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-lacks-owners",
            Severity.Blocking,
            "The target cannot store owners and permissions, which the source has.",
            "Format the volume with a file system that stores owners, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Target.Abilities.Owners || c.Source?.Abilities.Owners != true
            ? null
            : c.Say(
                Entry,
                $"`{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) stores no owners, so anybody at the machine could read {c.Holding.Name}."
            );
}
