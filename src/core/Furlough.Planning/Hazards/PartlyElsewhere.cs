using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Files stand at the usual place of the folder as well, though its settings lead elsewhere.</summary>
public sealed class PartlyElsewhere : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "partly-elsewhere",
            Severity.Advice,
            "Files stand at the usual place of the folder as well, though its settings lead elsewhere.",
            "Look whether they are wanted: they are neither copied nor removed."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Stray is not { Files: > 0 } stray
            ? null
            : c.Say(
                Entry,
                $"`{stray.PathShown}` on {c.Machine.Name}, the usual place of {c.Holding.Name}, has {Words.Count(stray.Files, "file")} of {Words.Size(stray.DataBytes)} as well."
            );
}
