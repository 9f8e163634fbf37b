using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The relocation may take longer than any stretch of the allowed hours.</summary>
public sealed class MayOutlastHours : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } = new("may-outlast-hours", Severity.Advice, "The relocation may take longer than any stretch of the allowed hours.", "What is copied by their end is kept and goes on in the next ones; once the account is kept out it is brought to its end.");

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) => c.LongestHours is not { } longest || c.Forecast is not { } forecast || forecast.Work.Likely > longest || forecast.Work.High <= longest ? null
        : c.Say(Entry, $"{c.Holding.Name} on {c.Machine.Name} may take up to {Words.Length(forecast.Work.High)}, and the longest of the allowed hours are {Words.Length(longest)}.");
}
