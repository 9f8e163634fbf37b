using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Files of the holding are open.</summary>
public sealed class FilesInUse : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "files-in-use",
            Severity.Advice,
            "Files of the holding are open.",
            "Have the programs closed before the run; files still open stop the relocation and change nothing."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.InUse.Count == 0
            ? null
            : c.Say(
                Entry,
                $"{Words.Count(c.Holding.InUse.Count, "file")} of {c.Holding.Name} on {c.Machine.Name} in use at the survey: {c.Holding.InUse[0]}."
            );
}
