using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The holding lives at its target already.</summary>
public sealed class AlreadyThere : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new("already-there", Severity.Advice, "The holding lives at its target already.", "Nothing is done for it.");

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Place != c.Place
            ? null
            : c.Say(Entry, $"{c.Holding.Name} on {c.Machine.Name} already lives at `{c.Shown}`.");
}
