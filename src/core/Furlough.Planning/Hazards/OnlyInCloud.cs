using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Files of the holding are only in the cloud: copying would download them.</summary>
public sealed class OnlyInCloud : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "only-in-cloud",
            Severity.Blocking,
            "Files of the holding are only in the cloud: copying would download them.",
            "Have the sync client keep them on this machine, or take them out of the folder."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.CloudOnlyFiles == 0
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} has {Words.Count(c.Holding.CloudOnlyFiles, "file")} only in the cloud; copying would download {Words.Size(c.Holding.CloudOnlyBytes)}."
            );
}
