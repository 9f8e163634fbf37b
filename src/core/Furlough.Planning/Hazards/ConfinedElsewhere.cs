using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The system lets confined programs work in homes at certain places only, and the new one is none of them.</summary>
public sealed class ConfinedElsewhere : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "confined-elsewhere",
            Severity.Consent,
            "The system lets confined programs work in homes at certain places only, and the new one is none of them.",
            "Add the new place to the system's list, or accept it."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (
            c.Holding.Home?.Confinement is not { } confined
            || c.Target is null
            || confined.Homes.Any(h => (c.Shown + "/").StartsWith(h.TrimEnd('/') + "/", StringComparison.Ordinal))
        )
            return null;
        return c.Say(
            Entry,
            $"{confined.By} on {c.Machine.Name} expects homes below {string.Join(" or ", confined.Homes.Select(h => $"`{h}`"))}; programs that it confines may be refused at `{c.Shown}`.",
            confined.Remedy
        );
    }
}
