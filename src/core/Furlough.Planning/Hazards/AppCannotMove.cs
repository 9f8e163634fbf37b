using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The brief names an app that the system does not let be moved.</summary>
public sealed class AppCannotMove : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "app-cannot-move",
            Severity.Blocking,
            "The brief names an app that the system does not let be moved, or would put back.",
            "Leave it where it is; `install-paths` decides where the next ones are installed."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Immovable is { } why
            ? c.Say(Entry, $"{c.Holding.Name} stays where it is on {c.Machine.Name}: {why}.")
            : null;
}
