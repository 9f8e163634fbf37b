using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The machine ran on battery at the survey.</summary>
public sealed class OnBattery : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "on-battery",
            Severity.Advice,
            "The machine ran on battery at the survey.",
            "Plug it in before the run; a machine that stops goes on where it was."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { OnBattery: true } || c.Relocations.Count == 0
            ? null
            : c.Say(
                Entry,
                $"{c.Machine.Name} ran on battery at its survey, and its relocations take about {Words.Length(c.Work)}."
            );
}
