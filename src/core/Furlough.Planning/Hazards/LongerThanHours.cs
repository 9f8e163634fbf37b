using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The relocation likely takes longer than any stretch of the allowed hours.</summary>
public sealed class LongerThanHours : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("longer-than-hours", Severity.Blocking, "The relocation likely takes longer than any stretch of the allowed hours.", "Allow longer hours, or relocate the folder in a brief of its own without `hours`.");

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.LongestHours is not { } longest || c.Forecast is not { } forecast || forecast.Work.Likely <= longest ? null
        : c.Say(Entry, longest == TimeSpan.Zero ? $"No hours are allowed in the next {Briefs.AllowedHours.Horizon.TotalDays:0} days."
            : $"{c.Holding.Name} on {c.Machine.Name} likely takes {Words.Length(forecast.Work.Likely)}, and the longest of the allowed hours are {Words.Length(longest)}.");
}
