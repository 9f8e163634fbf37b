using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Two holdings would live at one place.</summary>
public sealed class OnePlaceTwice : IHazard
{
    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.Target is null || c.Before.FirstOrDefault(r => r.Blocked.Count == 0 && (c.Place.IsInside(r.Target) || r.Target.IsInside(c.Place))) is not { } other ? null
        : c.Say("one-place-twice", Severity.Blocking, $"{c.Holding.Name} and {other.Holding} on {c.Machine.Name} would share `{c.Shown}`.", "Put {account} and {folder} into the path.");
}
