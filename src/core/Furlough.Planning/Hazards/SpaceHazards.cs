using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Whether there is room, now and while originals are kept.</summary>
internal static class SpaceHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "target-too-small",
            Severity.Blocking,
            "The target cannot hold the data beside what is planned before.",
            "Free space there, relocate fewer folders, or describe another volume.",
            c =>
                c.Target is null || c.Method == Method.Exchange || c.LowestFreeBytes[c.Place.Volume] >= c.NeededBytes
                    ? null
                    : $"{c.Holding.Name} needs {Words.Size(c.NeededBytes)} and `{c.Target.Root}` of "
                        + $"{c.Machine.Name} would have {Words.Size(c.LowestFreeBytes[c.Place.Volume])} left."
        ),
        new(
            "quota-too-small",
            Severity.Consent,
            "On the target's volume the account may store less than it would have there: nothing further could be saved.",
            "Raise the account's quota on that volume, choose another volume, or accept it.",
            QuotaTooSmall
        ),
        new(
            "reserve-broken",
            Severity.Consent,
            "The target would fall below its reserve while originals are kept.",
            "Accept it, relocate fewer folders, or free space there.",
            c =>
                c.Target is null || c.Method == Method.Exchange || Left(c) < 0 || Left(c) >= Reserve(c)
                    ? null
                    : $"After {c.Holding.Name} the volume `{c.Target.Root}` of {c.Machine.Name} has "
                        + $"{Words.Size(Left(c))} free; its reserve is {Words.Size(Reserve(c))}."
        ),
    ];

    internal static IReadOnlyList<MachineHazard> OfMachines { get; } =
    [
        new(
            "growth-breaks-reserve",
            Severity.Advice,
            "A volume keeps its reserve now, but fills up so fast that it falls below it while originals are kept.",
            "Keep originals for a shorter time, or relocate more.",
            c =>
                c.Volumes.FirstOrDefault(v => v.BreaksByGrowth) is not { } volume
                    ? null
                    : $"`{volume.Root}` of {c.Machine.Name} fills up by {Words.Size(volume.GrowsBytesPerDay)} a day "
                        + $"and would be {Words.Size(volume.ReserveBytes - volume.Lowest.FreeBytes)} below its reserve "
                        + $"after {Words.Length(volume.Lowest.After)}, while originals are kept."
        ),
    ];

    private static HazardText? QuotaTooSmall(HazardContext c)
    {
        if (
            c.Target is not { } target
            || c.Source == target
            || c.Account.Quotas.FirstOrDefault(q => q.Volume == target.Identity.Key) is not { } quota
        )
            return null;
        var after =
            quota.UsedBytes
            + c.NeededBytes
            + c.Before.Where(r =>
                    r.Blocked.Count == 0
                    && r.Holding.Account == c.Account.Name
                    && r.Target?.Volume == quota.Volume
                    && r.Source?.Volume != quota.Volume
                )
                .Sum(r => r.DataBytes);
        return after <= quota.LimitBytes
            ? null
            : $"With {c.Holding.Name}, {c.Account.Name} would store {Words.Size(after)} on `{target.Root}` of "
                + $"{c.Machine.Name} and may store {Words.Size(quota.LimitBytes)} there.";
    }

    private static long Left(HazardContext c) => c.LowestFreeBytes[c.Place.Volume] - c.NeededBytes;

    private static long Reserve(HazardContext c) => c.Brief.ReserveOf(c.Machine, c.Target!);
}
