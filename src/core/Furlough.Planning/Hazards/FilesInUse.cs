using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Files of the holding are open.</summary>
public sealed class FilesInUse : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Holding.InUse.Count == 0 ? null
        : c.Say("files-in-use", Severity.Advice, $"{Words.Count(c.Holding.InUse.Count, "file")} of {c.Holding.Name} on {c.Machine.Name} in use at the survey: {c.Holding.InUse[0]}.", "Have the programs closed before the run; files still open stop the relocation and change nothing.");
}
