using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A home is relocated and no fallback administrator has a home on the system volume.</summary>
public sealed class HomeWithoutFallback : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "home-without-fallback",
            Severity.Blocking,
            "A home is relocated and no fallback administrator has a home on the system volume.",
            "Make a local administrator whose home is on the system volume, and name it to the agent with --fallback."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Name.Kind != HoldingKind.Home || HasFallback(c.Survey)
            ? null
            : c.Say(
                Entry,
                $"When the target volume of {c.Machine.Name} fails, nobody could sign in there: no fallback administrator has a home on its system volume."
            );

    private static bool HasFallback(Survey survey) =>
        survey.Holdings.Any(h =>
            h.Name.Kind == HoldingKind.Home
            && survey.AccountOf(h.Name).Fallback
            && survey.VolumeOf(h.Place) is { System: true }
        );
}
