using System.CommandLine;

namespace Furlough.Agent;

/// <summary>The agent's settings file: its options by their names, one in a line (`room = Wet Lab`).</summary>
internal static class AgentSettings
{
    /// <summary>Makes options of it; those that the command line gives itself count instead.</summary>
    /// <param name="arguments">The command line.</param>
    /// <param name="known">The options that the file may set.</param>
    /// <exception cref="IOException">It cannot be read, or a line of it means nothing.</exception>
    internal static IReadOnlyList<string> Arguments(
        string file,
        IReadOnlyList<string> arguments,
        IReadOnlyList<Option> known
    )
    {
        List<string> made = [.. arguments];
        foreach (var (number, line) in File.ReadLines(file).Index())
        {
            var text = line.Trim();
            if (text is "" or ['#', ..])
                continue;
            var (name, value) = text.IndexOf('=') is > 0 and var at
                ? (text[..at].TrimEnd(), text[(at + 1)..].TrimStart())
                : (text, "");
            if (known.FirstOrDefault(o => o.Name == $"--{name}") is not { } option || value.Length == 0)
                throw new IOException(
                    $"{file}, line {number + 1}: `{Shown(text)}` is not a setting. Expected NAME = VALUE with one of "
                        + $"{string.Join(", ", known.Select(o => o.Name[2..]))}."
                );
            if (!arguments.Any(a => a == option.Name || a.StartsWith(option.Name + '=', StringComparison.Ordinal)))
                made.AddRange(option.Name, value);
        }
        return made;
    }

    private static string Shown(string text) => text.Length <= 60 ? text : text[..60] + "…";
}
