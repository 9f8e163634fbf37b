using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Links of the holding lead elsewhere once it has another place: their text is kept.</summary>
public sealed class LinksLeadElsewhere : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "links-lead-elsewhere",
            Severity.Advice,
            "Links of the holding lead out of it by a relative path, or into it by its former path: their text is kept, so they lead elsewhere from the new place.",
            "Look at them after the relocation; for those that name the former path, `leave: link` helps."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Demands.Of(DemandKind.LinksElsewhere) is { } links
            ? c.Say(
                Entry,
                $"{Words.Count(links.Count, "link")} of {c.Holding.Name} on {c.Machine.Name} would lead elsewhere from `{c.Shown}`, the first of them `{links.Example}`."
            )
            : null;
}
