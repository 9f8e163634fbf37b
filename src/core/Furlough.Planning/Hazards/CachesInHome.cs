using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>A home holds much that programs keep only to be quicker.</summary>
public sealed class CachesInHome : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "caches-in-home",
            Severity.Advice,
            "A home holds much that programs keep only to be quicker.",
            "Deleting it before the run makes the relocation shorter; programs make it anew."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Home is not { CacheBytes: > Much } home
            ? null
            : c.Say(
                Entry,
                $"{Words.Size(home.CacheBytes)} of {Words.Size(c.Holding.DataBytes)} in the home of {c.Account.Name} on {c.Machine.Name} are caches."
            );

    private const long Much = 200_000_000;
}
