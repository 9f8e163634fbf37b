using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The machine has not been surveyed yet.</summary>
public sealed class SurveyMissing : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "survey-missing",
            Severity.Blocking,
            "The machine has not been surveyed yet.",
            "Start its agent, or have it surveyed with `furlough machine survey`."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not null ? null : c.Say(Entry, $"{c.Machine.Name} has not been surveyed yet.");
}
