using System.Globalization;

namespace Furlough.Platform.Tests;

/// <summary>
/// Seeds of long random runs: a few in every test run, as many as FURLOUGH_SEEDS says otherwise. A run that was
/// interrupted goes on where it was.
/// </summary>
internal static class Soak
{
    /// <summary>One after the other.</summary>
    internal static IEnumerable<int> Seeds(string name, int few, int most) =>
        Chunks(name, few, most, 1).Select(c => c[0]);

    /// <summary>So many at a time. What is not done of a chunk when the run is interrupted is done again.</summary>
    /// <param name="name">Of the run; names the file that remembers how far it came.</param>
    /// <param name="few">How many seeds an ordinary test run takes.</param>
    /// <param name="most">How many a long run takes at most.</param>
    internal static IEnumerable<int[]> Chunks(string name, int few, int most, int size)
    {
        var asked = Environment.GetEnvironmentVariable("FURLOUGH_SEEDS");
        var last = asked is null ? few : Math.Min(most, int.Parse(asked, CultureInfo.InvariantCulture));
        var file = Path.Combine(Path.GetTempPath(), $"furlough-soak-{name}");
        var done =
            asked is not null
            && File.Exists(file)
            && int.TryParse(File.ReadAllText(file), CultureInfo.InvariantCulture, out var known)
            && known < last
                ? known
                : 0;
        foreach (var chunk in Enumerable.Range(done + 1, last - done).Chunk(size))
        {
            yield return chunk;
            if (asked is not null)
                File.WriteAllText(file, chunk[^1].ToString(CultureInfo.InvariantCulture));
        }
        if (asked is not null)
            File.Delete(file);
    }

    /// <summary>A program of these tests, compiled from its source.</summary>
    internal static string Program(string name)
    {
        var program = Path.Combine(Path.GetTempPath(), $"furlough-{name}-{Environment.ProcessId}");
        if (!File.Exists(program))
            LinuxTree.Sh($"gcc -O1 -w -o {program} {AppContext.BaseDirectory}/Programs/{name}.c; chmod 755 {program}");
        return program;
    }
}
