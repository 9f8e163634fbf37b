using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The machine waits for a restart.</summary>
public sealed class RestartPending : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "restart-pending",
            Severity.Advice,
            "The machine waits for a restart.",
            "Restart it before the run: what is to be finished then may put settings back."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { RestartPending: true } || c.Relocations.Count == 0
            ? null
            : c.Say(Entry, $"{c.Machine.Name} waits for a restart.");
}
