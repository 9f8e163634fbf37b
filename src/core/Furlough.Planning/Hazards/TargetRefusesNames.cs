using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Names that the target's file system does not take.</summary>
public sealed class TargetRefusesNames : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-refuses-names",
            Severity.Blocking,
            "Names that the target's file system does not take.",
            "Rename them, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Target.Abilities.OddNames || c.Holding.Demands.Of(DemandKind.OddNames) is not { } found
            ? null
            : c.Say(
                Entry,
                $"{Words.Count(found.Count, "name")} in {c.Holding.Name} on {c.Machine.Name} cannot stand on `{c.Target.Root}` ({c.Target.FileSystem}): `{found.Example}`."
            );
}
