using Furlough.Model;

namespace Furlough.Planning.Histories;

/// <summary>The used space of a volume at one moment.</summary>
public sealed record SpaceSample(DateTimeOffset At, long UsedBytes);

/// <summary>
/// The slope of a volume's used space that single large copies and removals do not bend: the median of the slopes
/// between pairs of samples (Theil 1950, Sen 1968). Its interval are the order statistics that Sen gives, from the
/// variance of Kendall's S. Pairs between which Furlough itself changed the volume are left out, and the variances of
/// the stretches between such breaks add up.
/// </summary>
public static class GrowthEstimate
{
    /// <summary>Samples closer together than this say nothing about days.</summary>
    private static readonly TimeSpan LeastLength = TimeSpan.FromDays(2);

    private const int FewestSamples = 4;

    /// <summary>Standard normal quantile of 95 %: five of a hundred lie beyond it on either side.</summary>
    private const double Quantile = 1.6449;

    /// <summary>The growth, or null when the history is too short to say.</summary>
    /// <param name="samples">In any sequence.</param>
    /// <param name="breaks">When Furlough itself changed what the volume holds.</param>
    public static Growth? Of(IEnumerable<SpaceSample> samples, IReadOnlyCollection<DateTimeOffset> breaks)
    {
        var all = samples.Select(s => (Stretch: breaks.Count(b => b <= s.At), Sample: s)).ToList();
        // One a day, so that many surveys of one day do not outweigh weeks.
        var daily = all.GroupBy(s => (s.Stretch, s.Sample.At.UtcDateTime.Date))
            .Select(g => g.MaxBy(s => s.Sample.At))
            .ToList();
        var stretches = (daily.Count < FewestSamples ? all : daily)
            .GroupBy(s => s.Stretch, s => s.Sample)
            .Select(g => g.OrderBy(s => s.At).ToList())
            .Where(g => g.Count > 1)
            .ToList();
        var count = stretches.Sum(s => s.Count);
        var days = stretches.Sum(s => (s[^1].At - s[0].At).TotalDays);
        if (count < FewestSamples || days < LeastLength.TotalDays)
            return null;
        List<double> slopes = [];
        foreach (var stretch in stretches)
            for (var i = 0; i < stretch.Count; i++)
            for (var k = i + 1; k < stretch.Count; k++)
                if ((stretch[k].At - stretch[i].At).TotalDays is > 0 and var apart)
                    slopes.Add((stretch[k].UsedBytes - stretch[i].UsedBytes) / apart);
        if (slopes.Count == 0)
            return null;
        slopes.Sort();
        var variance = stretches.Sum(s => (double)s.Count * (s.Count - 1) * (2 * s.Count + 5) / 18);
        var half = Quantile * Math.Sqrt(variance) / 2;
        var middle = (slopes.Count - 1) / 2.0;
        return new Growth(At(middle), At(middle - half), At(middle + half), days, count);

        double At(double index)
        {
            var clamped = Math.Clamp(index, 0, slopes.Count - 1);
            var below = (int)clamped;
            var above = Math.Min(below + 1, slopes.Count - 1);
            return slopes[below] + (clamped - below) * (slopes[above] - slopes[below]);
        }
    }
}
