using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>What must be done in one go may take longer than any stretch of the allowed hours.</summary>
public sealed class MayOutlastHours : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "may-outlast-hours",
            Severity.Advice,
            "What must be done in one go may take longer than any stretch of the allowed hours.",
            "Once the account is kept out the relocation is brought to its end; with `method: warm` that part is short."
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.LongestHours is not { } longest
        || c.Forecast is not { } forecast
        || forecast.Unbroken(c.Method).Likely > longest
        || forecast.Unbroken(c.Method).High <= longest
            ? null
            : c.Say(
                Entry,
                $"{c.Holding.Name} on {c.Machine.Name} may take up to {Words.Length(forecast.Unbroken(c.Method).High)} in one go, and the longest of the allowed hours are {Words.Length(longest)}."
            );
}
