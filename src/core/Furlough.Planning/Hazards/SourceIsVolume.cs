using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The holding is a whole volume, mounted where its settings lead.</summary>
public sealed class SourceIsVolume : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "source-is-volume",
            Severity.Blocking,
            "The holding is a whole volume that is mounted in its place, which is not relocated.",
            "Leave it out of the brief; or have the volume mounted elsewhere, with the holding in a folder of it, and survey again."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Place is not { Path: "" }
            ? null
            : c.Say(
                Entry,
                $"A volume of its own is mounted at `{c.Holding.PathShown}` of {c.Machine.Name}: {c.Holding.Name} is that whole volume."
            );
}
