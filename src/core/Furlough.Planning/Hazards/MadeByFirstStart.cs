using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The account has no such library yet: its program is started once and makes it, before it is relocated.</summary>
public sealed class MadeByFirstStart : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "made-by-first-start",
            Severity.Advice,
            "The account has no such library yet: its program is started once and makes it, before it is relocated.",
            "Nothing, where that is wanted; else leave the account out."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        !c.Holding.IsMadeByFirstStart
            ? null
            : c.Say(
                Entry,
                $"{c.Account.Name} has no {c.Holding.Name.Name} on {c.Machine.Name} yet: `{string.Join(' ', c.Holding.Program!.FirstStart)}` makes it at `{c.Holding.PathShown}`, then it is relocated."
            );
}
