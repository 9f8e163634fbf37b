using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The machine has been silent for a while.</summary>
public sealed class MachineSilent : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "machine-silent",
            Severity.Advice,
            "The machine has been silent for a while.",
            "It joins the run when it comes back."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        !c.Machine.Silent || c.Machine.Survey is null
            ? null
            : c.Say(Entry, $"{c.Machine.Name} has been silent since its last survey.");
}
