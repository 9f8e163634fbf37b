using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The last survey is older than three days.</summary>
public sealed class SurveyOld : IMachineHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "survey-old",
            Severity.Advice,
            "The last survey is older than three days.",
            "Have the machine surveyed with `furlough machine survey` and make the plan anew."
        );

    /// <inheritdoc/>
    public Hazard? Check(MachineContext c) =>
        c.Machine.Survey is not { } survey || c.Now - survey.TakenAt <= TimeSpan.FromDays(3)
            ? null
            : c.Say(
                Entry,
                $"{c.Machine.Name} was surveyed {Words.Length(c.Now - survey.TakenAt)} ago; sizes and free space may be others now."
            );
}
