using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Something stands at the target already.</summary>
public sealed class TargetNotEmpty : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "target-not-empty",
            Severity.Blocking,
            "Something stands at the target already.",
            "Furlough overwrites nothing: take it away, plan another path, or let `existing: adopt` make it live if it equals the source."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c)
    {
        if (c.Target is null || c.Method == Method.Adopt || !c.Target.Taken.Contains(c.Place.Path))
            return null;
        var known = c.Survey.Receipts.Any(r => r.Genuine && r.Holding == c.Holding.Name && r.Target == c.Place);
        return c.Say(
            Entry,
            $"Something stands at `{c.Shown}` on {c.Machine.Name} already{(known ? ": a receipt says that it is this very holding, from before the system was set up anew" : "")}.",
            known
                ? "With `existing: adopt` in the brief it becomes live there again, without copying."
                : "Furlough overwrites nothing: take it away, plan another path, or let `existing: adopt` make it live if it equals the source."
        );
    }
}
