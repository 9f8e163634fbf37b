using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A pattern of the brief fits an app that the system does not let be moved: it is left out of the plan.</summary>
public sealed class AppStays : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "app-stays",
            Severity.Advice,
            "A pattern of the brief fits an app that the system does not let be moved: it is left out of the plan.",
            "Nothing is done for it; `install-paths` decides where the next ones are installed."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Immovable is { } why && !c.Item.NamesOutright(c.Holding.Name)
            ? c.Say(Entry, $"{c.Holding.Name} is left out on {c.Machine.Name}: {why}.")
            : null;
}
