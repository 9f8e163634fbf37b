using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The copy would be complete, but something that was kept about its files or in their holes is lost at the target.</summary>
public sealed class TargetLosesFacts : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-loses-facts",
            Severity.Consent,
            "The copy would be complete, but something that was kept about its files or in their holes is lost at the target.",
            "Accept it, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Target is null)
            return null;
        List<string> lost = [];
        if (!c.Target.Abilities.ExtendedAttributes && c.Holding.Demands.Of(DemandKind.Attributes) is { } attributes)
            lost.Add(
                $"extended attributes and access lists of {Words.Count(attributes.Count, "file")} (`{attributes.Example}`) are not kept"
            );
        if (!c.Target.Abilities.Holes && c.Holding.Demands.Of(DemandKind.Holes) is { } holes)
            lost.Add($"the holes of {Words.Count(holes.Count, "file")} (`{holes.Example}`) are filled");
        return lost.Count == 0
            ? null
            : c.Say(
                Entry,
                $"On `{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) {string.Join("; ", lost)} when {c.Holding.Name} goes there."
            );
    }
}
