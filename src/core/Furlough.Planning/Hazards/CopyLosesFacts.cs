using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Something is kept beside the content of files that no copy has.</summary>
public sealed class CopyLosesFacts : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "copy-loses-facts",
            Severity.Consent,
            "Something is kept beside the content of files that is not copied: further streams of data (Windows), attributes and access lists of links and pipes, and that several names are one link or pipe.",
            "Accept that it is lost, or take those files out of the holding first. The original has it until it is discarded."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Demands.Of(DemandKind.FactsNotKept) is not { } found
            ? null
            : c.Say(
                Entry,
                $"{Words.Count(found.Count, "entry", "entries")} of {c.Holding.Name} on {c.Machine.Name} (`{found.Example}`) {(found.Count == 1 ? "has" : "have")} further streams of data, attributes or further names that are not copied."
            );
}
