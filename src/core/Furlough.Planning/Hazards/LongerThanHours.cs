using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>What must be done in one go likely takes longer than any stretch of the allowed hours.</summary>
public sealed class LongerThanHours : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "longer-than-hours",
            Severity.Blocking,
            "What must be done in one go likely takes longer than any stretch of the allowed hours.",
            "Allow longer hours, or let `method: warm` copy in several nights."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.LongestHours is not { } longest
        || c.Forecast is not { } forecast
        || forecast.Unbroken(c.Method).Likely <= longest
            ? null
            : c.Say(
                Entry,
                longest == TimeSpan.Zero
                    ? $"No hours are allowed in the next {Briefs.AllowedHours.Horizon.TotalDays:0} days."
                    : $"{c.Holding.Name} on {c.Machine.Name} likely takes {Words.Length(forecast.Unbroken(c.Method).Likely)} in one go, and the longest of the allowed hours are {Words.Length(longest)}."
            );
}
