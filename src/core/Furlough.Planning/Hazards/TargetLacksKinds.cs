using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The holding has links, further names of files or pipes, which the target cannot store.</summary>
public sealed class TargetLacksKinds : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-lacks-kinds",
            Severity.Blocking,
            "The holding has links, further names of files or pipes, which the target cannot store.",
            "Take them away, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Target is null)
            return null;
        var able = c.Target.Abilities;
        List<string> lacking = [];
        if (!able.Links)
            Add(DemandKind.Links, "symbolic link", "symbolic links");
        if (!able.HardLinks)
            Add(DemandKind.HardLinks, "file with further names", "files with further names");
        if (!able.Links)
            Add(DemandKind.PipesAndSockets, "pipe or socket", "pipes or sockets");
        return lacking.Count == 0
            ? null
            : c.Say(
                Entry,
                $"`{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) cannot store what {c.Holding.Name} has: {string.Join("; ", lacking)}."
            );

        void Add(DemandKind kind, string one, string many)
        {
            if (c.Holding.Demands.Of(kind) is { } found)
                lacking.Add($"{Words.Count(found.Count, one, many)} (`{found.Example}`)");
        }
    }
}
