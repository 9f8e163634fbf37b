using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A file is larger than the target's file system stores.</summary>
public sealed class FileTooLarge : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "file-too-large",
            Severity.Blocking,
            "A file is larger than the target's file system stores.",
            "Describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Holding.Demands.LargestFileBytes <= c.Target.Abilities.LargestFileBytes
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} has a file of {Words.Size(c.Holding.Demands.LargestFileBytes)}, and `{c.Target.Root}` ({c.Target.FileSystem}) stores files of {Words.Size(c.Target.Abilities.LargestFileBytes)} at most."
            );
}
