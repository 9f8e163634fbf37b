using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The target would fall below its reserve while originals are kept.</summary>
public sealed class ReserveBroken : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "reserve-broken",
            Severity.Consent,
            "The target would fall below its reserve while originals are kept.",
            "Accept it, relocate fewer folders, or free space there."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Method == Method.Exchange || Left(c) < 0 || Left(c) >= Reserve(c)
            ? null
            : c.Say(
                Entry,
                $"After {c.Holding.Name} the volume `{c.Target.Root}` of {c.Machine.Name} has {Words.Size(Left(c))} free; its reserve is {Words.Size(Reserve(c))}."
            );

    private static long Left(HazardContext c) => c.LowestFreeBytes[c.Place.Volume] - c.NeededBytes;

    private static long Reserve(HazardContext c) => c.Brief.ReserveOf(c.Machine, c.Target!);
}
