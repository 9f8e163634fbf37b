using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A link is to stay at the former place, on a volume that stores none.</summary>
public sealed class LinkNotPossible : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "link-not-possible",
            Severity.Blocking,
            "A link is to stay at the former place, on a volume that stores none.",
            "Leave out `leave: link`; programs that know only the old path must then be told the new one, and what has no setting stays where it is."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.LeavesLink && c.Source is { Abilities.Links: false } source
            ? c.Say(
                Entry,
                $"`{source.Root}` of {c.Machine.Name} ({source.FileSystem}) stores no link that could stay where {c.Holding.Name} lived."
            )
            : null;
}
