using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A setting leads to what is not the account's own: it would take somebody else's data, or the system's, along.</summary>
public sealed class SourceForeign : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "source-foreign",
            Severity.Blocking,
            "A setting leads to a folder that is not the account's own, or lies outside its home: somebody else's data would be moved.",
            "Correct the setting, or leave this holding out."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Foreign is not { } why
            ? null
            : c.Say(Entry, $"{c.Holding.Name} on {c.Machine.Name} is not relocated: {why}");
}
