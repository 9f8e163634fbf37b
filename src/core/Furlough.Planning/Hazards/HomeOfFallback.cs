using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The home is the fallback administrator's, who must be able to sign in when the other volume fails.</summary>
public sealed class HomeOfFallback : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "home-of-fallback",
            Severity.Blocking,
            "The home is the fallback administrator's, who must be able to sign in when the other volume fails.",
            "Leave that account out of the item."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Name.Kind != HoldingKind.Home || !c.Account.Fallback
            ? null
            : c.Say(
                Entry,
                $"{c.Account.Name} is the fallback administrator of {c.Machine.Name}, whose home stays on the system volume."
            );
}
