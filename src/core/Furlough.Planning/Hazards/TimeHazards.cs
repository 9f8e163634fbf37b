using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Allowed hours, and the state in which a machine goes into a run.</summary>
internal static class TimeHazards
{
    internal static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        new(
            "longer-than-hours",
            Severity.Blocking,
            "What must be done in one go likely takes longer than any stretch of the allowed hours.",
            "Allow longer hours, or let `method: warm` copy in several nights.",
            c =>
                c.LongestHours is not { } longest
                || c.Forecast is not { } forecast
                || forecast.Unbroken(c.Method).Likely <= longest
                    ? null
                : longest == TimeSpan.Zero
                    ? $"No hours are allowed in the next {Briefs.AllowedHours.Horizon.TotalDays:0} days."
                : $"{c.Holding.Name} on {c.Machine.Name} likely takes "
                    + $"{Words.Length(forecast.Unbroken(c.Method).Likely)} in one go, and the longest of the allowed "
                    + $"hours are {Words.Length(longest)}."
        ),
        new(
            "may-outlast-hours",
            Severity.Advice,
            "What must be done in one go may take longer than any stretch of the allowed hours.",
            "Once the account is locked out the relocation is brought to its end; with `method: warm` that part is short.",
            c =>
                c.LongestHours is not { } longest
                || c.Forecast is not { } forecast
                || forecast.Unbroken(c.Method).Likely > longest
                || forecast.Unbroken(c.Method).High <= longest
                    ? null
                    : $"{c.Holding.Name} on {c.Machine.Name} may take up to "
                        + $"{Words.Length(forecast.Unbroken(c.Method).High)} in one go, and the longest of the allowed "
                        + $"hours are {Words.Length(longest)}."
        ),
    ];

    internal static IReadOnlyList<MachineHazard> OfMachines { get; } =
    [
        new(
            "survey-missing",
            Severity.Blocking,
            "The machine has not been surveyed yet.",
            "Start its agent, or have it surveyed with `furlough machine survey`.",
            c => c.Machine.Survey is not null ? null : $"{c.Machine.Name} has not been surveyed yet."
        ),
        new(
            "survey-old",
            Severity.Advice,
            "The last survey is older than three days.",
            "Have the machine surveyed with `furlough machine survey` and make the plan again.",
            c =>
                c.Machine.Survey is not { } survey || c.Now - survey.TakenAt <= TimeSpan.FromDays(3)
                    ? null
                    : $"{c.Machine.Name} was surveyed {Words.Length(c.Now - survey.TakenAt)} ago; sizes and free space may be others now."
        ),
        new(
            "machine-silent",
            Severity.Advice,
            "The machine has been silent for a while.",
            "It joins the run when it comes back.",
            c =>
                !c.Machine.Silent || c.Machine.Survey is null
                    ? null
                    : $"{c.Machine.Name} has been silent since its last survey."
        ),
        new(
            "unproven-system",
            Severity.Consent,
            "The agent's adapters have not been proven on a real system of the machine's kind.",
            "Make an account for the purpose on one such machine and run `furlough-agent check` there; or accept "
                + "it: originals are kept as everywhere.",
            c =>
                c.Machine.Survey is not { Unproven: true } survey || c.Relocations.Count == 0
                    ? null
                    : $"{c.Machine.Name} runs {survey.OperatingSystem}, on which relocating is unproven."
        ),
        new(
            "restart-pending",
            Severity.Advice,
            "The machine waits for a restart.",
            "Restart it before the run: what is to be finished then may put settings back.",
            c =>
                c.Machine.Survey is not { RestartPending: true } || c.Relocations.Count == 0
                    ? null
                    : $"{c.Machine.Name} waits for a restart."
        ),
        new(
            "on-battery",
            Severity.Advice,
            "The machine ran on battery at the survey.",
            "Plug it in before the run; a machine that stops goes on where it was.",
            c =>
                c.Machine.Survey is not { OnBattery: true } || c.Relocations.Count == 0
                    ? null
                    : $"{c.Machine.Name} ran on battery at its survey, and its relocations take about {Words.Length(c.Work)}."
        ),
    ];
}
