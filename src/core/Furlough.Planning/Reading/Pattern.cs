namespace Furlough.Planning.Reading;

/// <summary>Name patterns: '*' stands for any characters.</summary>
public static class Pattern
{
    /// <summary>Whether a name fits, without regard to case.</summary>
    public static bool Fits(string pattern, string name) =>
        System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(
            pattern.Replace("\\", "\\\\", StringComparison.Ordinal),
            name
        );

    /// <summary>The word most like the given one, or null when none is near.</summary>
    public static string? Nearest(string word, IEnumerable<string> words) =>
        words
            .Select(w => (Word: w, Distance: Distance(word, w)))
            .Where(w => w.Distance <= Math.Max(2, w.Word.Length / 3))
            .OrderBy(w => w.Distance)
            .Select(w => w.Word)
            .FirstOrDefault();

    private static int Distance(string a, string b)
    {
        var row = Enumerable.Range(0, b.Length + 1).ToArray();
        for (var i = 1; i <= a.Length; i++)
        {
            var diagonal = row[0];
            row[0] = i;
            for (var k = 1; k <= b.Length; k++)
            {
                var cost = char.ToLowerInvariant(a[i - 1]) == char.ToLowerInvariant(b[k - 1]) ? diagonal : diagonal + 1;
                diagonal = row[k];
                row[k] = Math.Min(cost, Math.Min(row[k], row[k - 1]) + 1);
            }
        }
        return row[b.Length];
    }
}
