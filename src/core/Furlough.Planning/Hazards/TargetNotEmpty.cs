using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Something stands at the target already.</summary>
public sealed class TargetNotEmpty : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is null || !c.Target.Taken.Contains(c.Place.Path) ? null
        : c.Say("target-not-empty", Severity.Blocking, $"Something stands at `{c.Shown}` on {c.Machine.Name} already.", "Furlough overwrites nothing: take it away or plan another path.");
}
