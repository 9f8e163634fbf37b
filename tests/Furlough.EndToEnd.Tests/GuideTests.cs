using System.Diagnostics;
using System.Text.RegularExpressions;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// What the documentation shows of the command line is what it prints: every block with a "$" is run on the demo, in the
/// order in which it stands. Sizes, times, dates, digests and bars may differ; "…" stands for what was left out.
/// </summary>
public sealed partial class GuideTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-guide-").FullName;
    private Process? _demo;

    public void Dispose()
    {
        if (_demo is not null)
        {
            if (!_demo.HasExited)
                Field.Kill(_demo);
            _demo.Dispose();
        }
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void Every_example_of_the_guide_prints_what_the_guide_says()
    {
        var examples = Examples(Path.Combine(Field.Repository, "docs", "guide.md")).ToList();
        examples.Count.ShouldBeGreaterThanOrEqualTo(6);
        var (address, token) = StartDemo();
        File.CreateSymbolicLink(Path.Combine(_folder, "demo"), Path.Combine(Field.Repository, "demo"));
        foreach (var (line, command, expected) in examples)
        {
            var printed = Shell(command, address, token);
            var missing = Missing(expected, [.. printed.Split('\n').Select(Masked).Where(l => l.Length > 0)]);
            missing.ShouldBeNull($"line {line} of the guide: {command}\n{printed}");
        }
    }

    /// <summary>The first expected line that does not come next; null when all are there in order.</summary>
    private static string? Missing(IReadOnlyList<string> expected, IReadOnlyList<string> printed)
    {
        var at = 0;
        var mayskip = false;
        foreach (var line in expected)
        {
            if (line == "…")
            {
                mayskip = true;
                continue;
            }
            var found = at;
            while (mayskip && found < printed.Count && !Fits(line, printed[found]))
                found++;
            if (found >= printed.Count || !Fits(line, printed[found]))
                return $"{line}\nbut printed was\n{(at < printed.Count ? printed[at] : "nothing more")}";
            (at, mayskip) = (found + 1, false);
        }
        return mayskip || at == printed.Count ? null : $"nothing more\nbut printed was\n{printed[at]}";
    }

    private static bool Fits(string expected, string printed) =>
        expected.EndsWith('…')
            ? printed.StartsWith(expected[..^1].TrimEnd(), StringComparison.Ordinal)
            : expected == printed;

    private static IEnumerable<(int Line, string Command, IReadOnlyList<string> Expected)> Examples(string page)
    {
        var lines = File.ReadAllLines(page);
        for (var i = 0; i < lines.Length; i++)
        {
            if (!lines[i].StartsWith("    $ ", StringComparison.Ordinal))
                continue;
            List<string> expected = [];
            var end = i + 1;
            while (
                end < lines.Length
                && (lines[end].Length == 0 || lines[end].StartsWith("    ", StringComparison.Ordinal))
                && !lines[end].StartsWith("    $ ", StringComparison.Ordinal)
            )
                expected.Add(Masked(lines[end++]));
            yield return (i + 1, lines[i]["    $ ".Length..], [.. expected.Where(l => l.Length > 0)]);
        }
    }

    /// <summary>What differs from one run to the next is a sign; how far apart columns stand does not count.</summary>
    private static string Masked(string line)
    {
        line = Dates().Replace(line, "DATE");
        line = Digests().Replace(line, "DIGEST");
        line = Sizes().Replace(line, "SIZE");
        line = Times().Replace(line, "TIME");
        line = Shares().Replace(line, "SHARE");
        line = Bars().Replace(line, "BAR");
        return Spaces().Replace(line, " ").Trim();
    }

    [GeneratedRegex(@"\d{4}-\d\d-\d\d( \d\d:\d\d(:\d\d)?Z?)?")]
    private static partial Regex Dates();

    [GeneratedRegex(@"\b[0-9a-f]{16}\b")]
    private static partial Regex Digests();

    [GeneratedRegex(@"\d+(\.\d+)? (B|kB|MB|GB|TB)\b")]
    private static partial Regex Sizes();

    [GeneratedRegex(@"\d+ (s|min|h|days?)\b( \d+ (min|h)\b)?")]
    private static partial Regex Times();

    [GeneratedRegex(@"\(\d+%\)|for \d+ of \d+|for \d+\b|\d+\.\d points")]
    private static partial Regex Shares();

    [GeneratedRegex("[▒█▞┄·┤]+")]
    private static partial Regex Bars();

    [GeneratedRegex(@"\s+")]
    private static partial Regex Spaces();

    private (string Address, string Token) StartDemo()
    {
        _demo = Field.Launch(
            "furlough",
            ["demo", "start", "--data", Path.Combine(_folder, "data"), "--port", "0", "--speed", "12000"]
        );
        while (_demo.StandardOutput.ReadLine() is { } line)
            if (line.StartsWith("Console", StringComparison.Ordinal))
            {
                var parts = line["Console".Length..].Trim().Split("/#token=");
                WaitForFirstRun(parts[0], parts[1]);
                return (parts[0], parts[1]);
            }
        throw new InvalidOperationException(_demo.StandardError.ReadToEnd());
    }

    private void WaitForFirstRun(string address, string token)
    {
        _ = _demo!.StandardOutput.ReadToEndAsync();
        Field.WaitFor(
            () => Shell("furlough run show 1", address, token).Contains("  ended  ", StringComparison.Ordinal),
            "the demo's own run"
        );
    }

    private string Shell(string command, string address, string token)
    {
        var start = new ProcessStartInfo("bash", ["-c", command])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            WorkingDirectory = _folder,
        };
        start.Environment["PATH"] = $"{Field.Repository}/bin:{Environment.GetEnvironmentVariable("PATH")}";
        start.Environment["FURLOUGH_SERVICE"] = address;
        start.Environment["FURLOUGH_TOKEN"] = token;
        using var shell = Process.Start(start)!;
        var outcome = Field.Finish(shell);
        return outcome.Out + outcome.Error;
    }
}
