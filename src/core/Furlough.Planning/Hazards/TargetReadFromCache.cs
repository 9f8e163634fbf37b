using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The copy cannot be read back from the medium itself (I3).</summary>
public sealed class TargetReadFromCache : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-read-from-cache",
            Severity.Advice,
            "The copy cannot be read back from the medium itself (I3).",
            "Keep the original longer, or describe another volume."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Target is null || c.Target.Abilities.ReadsPastCache
            ? null
            : c.Say(
                Entry,
                $"`{c.Target.Root}` of {c.Machine.Name} ({c.Target.FileSystem}) cannot be read past its cache, so the copy of {c.Holding.Name} is proven from cache: a fault of the medium would show only later."
            );
}
