using System.Globalization;

namespace Furlough.Platform.Tests;

/// <summary>Seeds of long random runs: a few in every test run, as many as FURLOUGH_SEEDS says otherwise. A run that was interrupted goes on where it was.</summary>
internal static class Soak
{
    /// <param name="name">Of the run; names the file that remembers how far it came.</param>
    /// <param name="few">How many seeds an ordinary test run takes.</param>
    /// <param name="most">How many a long run takes at most.</param>
    internal static IEnumerable<int> Seeds(string name, int few, int most)
    {
        if (Environment.GetEnvironmentVariable("FURLOUGH_SEEDS") is not { } asked)
        {
            for (var seed = 1; seed <= few; seed++)
                yield return seed;
            yield break;
        }
        var last = Math.Min(most, int.Parse(asked, CultureInfo.InvariantCulture));
        var file = Path.Combine(Path.GetTempPath(), $"furlough-soak-{name}");
        var done =
            File.Exists(file)
            && int.TryParse(File.ReadAllText(file), CultureInfo.InvariantCulture, out var known)
            && known < last
                ? known
                : 0;
        for (var seed = done + 1; seed <= last; seed++)
        {
            yield return seed;
            File.WriteAllText(file, seed.ToString(CultureInfo.InvariantCulture));
        }
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
