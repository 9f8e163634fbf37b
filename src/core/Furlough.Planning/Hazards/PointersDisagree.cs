using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The pointers of a holding lead to different places.</summary>
public sealed class PointersDisagree : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "pointers-disagree",
            Severity.Blocking,
            "The pointers of a holding lead to different places.",
            "Find out which one is right and correct the other first.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Pointers.Select(p => p.Resolves).Distinct().Count() <= 1
            ? null
            : c.Say(
                Entry,
                $"The settings for {c.Holding.Name} on {c.Machine.Name} lead to different places: {string.Join("; ", c.Holding.Pointers.Select(p => $"{p.Address} reads `{p.Value.Text ?? "(nothing)"}`"))}."
            );
}
