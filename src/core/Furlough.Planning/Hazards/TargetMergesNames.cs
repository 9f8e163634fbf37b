using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Names that differ only in case would become one file at the target.</summary>
public sealed class TargetMergesNames : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-merges-names",
            Severity.Blocking,
            "Names that differ only in case would become one file at the target.",
            "Rename them, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null
        || c.Target.Abilities.CaseSensitive
        || c.Holding.Demands.Of(DemandKind.NamesByCase) is not { } found
            ? null
            : c.Say(
                Entry,
                $"{Words.Count(found.Count, "name")} in {c.Holding.Name} on {c.Machine.Name} differ from another only in case (`{found.Example}`), and `{c.Target.Root}` ({c.Target.FileSystem}) takes both for one file."
            );
}
