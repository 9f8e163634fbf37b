using Furlough.Model;
using Furlough.Planning.Plans;

namespace Furlough.Planning.Hazards;

/// <summary>Other holdings of the account live inside this one and are moved together with it.</summary>
public sealed class MovesAlong : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "moves-along",
            Severity.Consent,
            "Another holding of the account lives inside this one: both are moved together, and the settings of both are changed.",
            "Accept it; or relocate the inner one to a place of its own first, discard its original, and survey the machine."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        var inner = MovedTogether.Along(c.Survey, c.Holding).ToList();
        return inner.Count == 0
            ? null
            : c.Say(
                Entry,
                $"{string.Join(", ", inner.Select(h => $"{h.Name} (`{h.PathShown}`)"))} {(inner.Count == 1 ? "lives" : "live")} inside {c.Holding.Name} on {c.Machine.Name} and {(inner.Count == 1 ? "is" : "are")} moved along with it; another place that the brief names for {(inner.Count == 1 ? "it" : "them")} is passed over."
            );
    }
}
