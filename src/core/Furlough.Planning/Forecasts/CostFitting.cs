namespace Furlough.Planning.Forecasts;

/// <summary>What one relocation has shown: so many bytes and files took so many seconds.</summary>
public sealed record Shown(long Bytes, long Files, double Seconds);

/// <summary>A cost fitted to what was shown.</summary>
/// <param name="HighFactor">By this factor nine of ten stay below what the cost says.</param>
/// <param name="Rests">On how many relocations it rests.</param>
public sealed record FittedCost(Cost Cost, double HighFactor, int Rests);

/// <summary>
/// Fits a cost to relocations by least squares of the relative errors, none of its parts below zero. Relocations that
/// do not fit (a disk that was busy, a cache that answered) count less the further off they are, by Tukey's biweight
/// with the scale from the median absolute deviation, repeated until nothing changes; as long as only a few were seen,
/// all count alike. The usual cost is held against it like a few relocations, so that the first ones seen do not bend
/// it too far.
/// </summary>
public static class CostFitting
{
    /// <summary>The high figure of media of which nothing is known, as a factor.</summary>
    public const double UsualHighFactor = 1.8;

    private const double LeastHighFactor = 1.15,
        Cutoff = 4.685,
        ToSigma = 1.4826,
        LeastScale = 0.02,
        PriorWeight = 0.5;
    private const int Rounds = 20,
        FewestToDoubt = 8;

    /// <summary>Fits a cost; without anything shown it is the usual one.</summary>
    public static FittedCost Fit(IReadOnlyList<Shown> shown, Cost usual)
    {
        var seen = shown.Where(s => s.Seconds > 0).ToList();
        if (seen.Count == 0)
            return new FittedCost(usual, UsualHighFactor, 0);
        // The prior has the sizes of what was shown, at the usual cost scaled to the fleet's own level.
        var level = Median([.. seen.Select(s => s.Seconds / usual.Of(s.Bytes, s.Files))]);
        var scaled = new Cost(usual.Once * level, usual.PerByte * level, usual.PerFile * level);
        var prior = seen.ConvertAll(s => s with { Seconds = scaled.Of(s.Bytes, s.Files) });
        var priorWeight = PriorWeight / seen.Count;
        var weights = Enumerable.Repeat(1.0, seen.Count).ToArray();
        var cost = scaled;
        for (var round = 0; round < Rounds; round++)
        {
            List<(Shown Shown, double Weight)> all =
            [
                .. seen.Select((s, i) => (s, weights[i])),
                .. prior.Select(p => (p, priorWeight)),
            ];
            var next = NotNegative(all);
            var errors = seen.ConvertAll(s => (next.Of(s.Bytes, s.Files) - s.Seconds) / s.Seconds);
            var scale = Math.Max(LeastScale, ToSigma * Median([.. errors.Select(Math.Abs)]));
            // Among a few, what does not fit the rest may be all that is right.
            for (var i = 0; i < seen.Count && seen.Count >= FewestToDoubt; i++)
            {
                var u = errors[i] / (Cutoff * scale);
                weights[i] = Math.Abs(u) >= 1 ? 0 : Math.Pow(1 - u * u, 2);
            }
            var settled =
                round > 0
                && Math.Abs(next.Once - cost.Once) + Math.Abs(next.PerFile - cost.PerFile) < 1e-9
                && Math.Abs(next.PerByte - cost.PerByte) < 1e-18;
            cost = next;
            if (settled)
                break;
        }
        var over = seen.Select(s => s.Seconds / Math.Max(1e-9, cost.Of(s.Bytes, s.Files))).Order().ToList();
        // Few relocations do not show how far off the next may be: the usual factor fades as they become more.
        var trust = seen.Count / (seen.Count + 8.0);
        var high = trust * over[(int)Math.Ceiling(0.9 * over.Count) - 1] + (1 - trust) * UsualHighFactor;
        return new FittedCost(cost, Math.Max(LeastHighFactor, high), seen.Count);
    }

    /// <summary>The best of the fits that leave out some of the three parts and have no part below zero.</summary>
    private static Cost NotNegative(List<(Shown Shown, double Weight)> all)
    {
        var (best, least) = (new Cost(0, 0, 0), double.PositiveInfinity);
        for (var parts = 1; parts < 8; parts++)
        {
            if (Solve(all, parts) is not { } x || x.Any(v => v < 0))
                continue;
            var cost = new Cost(x[0], x[1], x[2]);
            var error = all.Sum(a =>
                a.Weight * Math.Pow(cost.Of(a.Shown.Bytes, a.Shown.Files) / a.Shown.Seconds - 1, 2)
            );
            if (error < least)
                (best, least) = (cost, error);
        }
        return best;
    }

    /// <summary>
    /// Weighted least squares of the relative errors over the parts whose bit is set; null where they cannot be told
    /// apart.
    /// </summary>
    private static double[]? Solve(List<(Shown Shown, double Weight)> all, int parts)
    {
        var used = Enumerable.Range(0, 3).Where(i => (parts & (1 << i)) != 0).ToArray();
        var n = used.Length;
        // Bytes in gigabytes and files in thousands keep the numbers alike.
        double[] units = [1, 1e9, 1e3];
        var a = new double[n, n + 1];
        foreach (var (shown, weight) in all)
        {
            double[] row = [1 / shown.Seconds, shown.Bytes / 1e9 / shown.Seconds, shown.Files / 1e3 / shown.Seconds];
            for (var i = 0; i < n; i++)
            {
                for (var k = 0; k < n; k++)
                    a[i, k] += weight * row[used[i]] * row[used[k]];
                a[i, n] += weight * row[used[i]];
            }
        }
        if (!Eliminate(a, n))
            return null;
        var x = new double[3];
        for (var i = 0; i < n; i++)
            x[used[i]] = a[i, n] / a[i, i] / units[used[i]];
        return x;
    }

    /// <summary>Solves n equations in place; false when they do not determine an answer.</summary>
    private static bool Eliminate(double[,] a, int n)
    {
        for (var i = 0; i < n; i++)
        {
            var pivot = Enumerable.Range(i, n - i).MaxBy(r => Math.Abs(a[r, i]));
            if (Math.Abs(a[pivot, i]) < 1e-12)
                return false;
            for (var k = 0; k <= n; k++)
                (a[i, k], a[pivot, k]) = (a[pivot, k], a[i, k]);
            for (var r = 0; r < n; r++)
            {
                if (r == i)
                    continue;
                var factor = a[r, i] / a[i, i];
                for (var k = i; k <= n; k++)
                    a[r, k] -= factor * a[i, k];
            }
        }
        return true;
    }

    /// <summary>The middle value.</summary>
    internal static double Median(double[] values)
    {
        Array.Sort(values);
        var half = values.Length / 2;
        return values.Length % 2 == 1 ? values[half] : (values[half - 1] + values[half]) / 2;
    }
}
