using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;

namespace Furlough.Service.Machines;

/// <summary>How full volumes are, and when they reach their reserves.</summary>
public static class VolumeSpaces
{
    /// <summary>A machine's volumes.</summary>
    public static IEnumerable<VolumeSpace> Of(MachineRow machine, Survey? survey)
    {
        if (survey is null)
            yield break;
        var (growth, reserves) = (Column.GrowthOf(machine), Column.ReservesOf(machine));
        foreach (var volume in survey.Volumes)
        {
            var (grows, reserve) = (
                growth.GetValueOrDefault(volume.Identity.Key),
                reserves.GetValueOrDefault(volume.Identity.Key)
            );
            var left = volume.FreeBytes - reserve;
            var (earliest, latest) = grows?.DaysUntilWithin(left) ?? (left <= 0 ? 0 : null, null);
            yield return new VolumeSpace(
                machine.Name,
                machine.Room,
                volume.Root,
                volume.Label,
                volume.System,
                volume.Attached,
                volume.SizeBytes,
                volume.FreeBytes,
                reserve,
                grows,
                left <= 0 ? 0 : grows?.DaysUntil(left),
                earliest,
                latest
            );
        }
    }

    /// <summary>Those that fill up first, first.</summary>
    public static IReadOnlyList<VolumeSpace> Soonest(IEnumerable<VolumeSpace> volumes) =>
        [
            .. volumes
                .OrderBy(v => v.DaysLeft ?? double.PositiveInfinity)
                .ThenBy(v => v.SizeBytes == 0 ? 0 : (double)v.FreeBytes / v.SizeBytes)
                .ThenBy(v => v.Machine, StringComparer.Ordinal),
        ];
}
