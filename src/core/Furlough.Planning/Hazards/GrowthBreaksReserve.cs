using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A volume keeps its reserve now, but fills up so fast that it falls below it while originals are kept.</summary>
public sealed class GrowthBreaksReserve : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "growth-breaks-reserve",
            Severity.Advice,
            "A volume keeps its reserve now, but fills up so fast that it falls below it while originals are kept.",
            "Keep originals for a shorter time, or relocate more."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Volumes.FirstOrDefault(v => v.BreaksByGrowth) is not { } volume
            ? null
            : c.Say(
                Entry,
                $"`{volume.Root}` of {c.Machine.Name} fills up by {Words.Size(volume.GrowsBytesPerDay)} a day and would be {Words.Size(volume.ReserveBytes - volume.Lowest.FreeBytes)} below its reserve after {Words.Length(volume.Lowest.After)}, while originals are kept."
            );
}
