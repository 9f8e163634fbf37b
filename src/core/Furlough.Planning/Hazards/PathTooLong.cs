using System.Text;
using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>At the target some paths would be longer than programs can open.</summary>
public sealed class PathTooLong : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "path-too-long",
            Severity.Blocking,
            "At the target some paths would be longer than programs can open.",
            "Plan a shorter path, or shorten the names."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Target is null)
            return null;
        var longest = Encoding.UTF8.GetByteCount(c.Shown) + 1 + c.Holding.Demands.LongestPathBytes;
        return longest <= c.Target.Abilities.LongestPathBytes
            ? null
            : c.Say(
                Entry,
                $"The longest path of {c.Holding.Name} on {c.Machine.Name} would have {longest:N0} bytes at `{c.Shown}`, and programs open at most {c.Target.Abilities.LongestPathBytes:N0}."
            );
    }
}
