using System.CommandLine;
using System.Runtime.Versioning;
using Microsoft.Win32;

namespace Furlough.Agent;

/// <summary>A line of the agent's settings.</summary>
/// <param name="Where">The file and line, or the registry's key.</param>
internal sealed record AgentSetting(string Name, string Value, string Where);

/// <summary>
/// The agent's settings: its options by their names, in a file with one in a line (`room = Wet Lab`), on Windows also in
/// the registry, where its installer writes them.
/// </summary>
internal static class AgentSettings
{
    /// <summary>The registry's key; values have the names of options.</summary>
    private const string Key = @"SOFTWARE\Furlough\Agent";

    /// <summary>Reads a file.</summary>
    /// <exception cref="IOException">It cannot be read.</exception>
    internal static IEnumerable<AgentSetting> Read(string file)
    {
        foreach (var (number, line) in File.ReadLines(file).Index())
        {
            var text = line.Trim();
            if (text is "" or ['#', ..])
                continue;
            var at = text.IndexOf('=');
            yield return at > 0
                ? new AgentSetting(text[..at].TrimEnd(), text[(at + 1)..].TrimStart(), $"{file}, line {number + 1}")
                : new AgentSetting(text, "", $"{file}, line {number + 1}");
        }
    }

    /// <summary>Reads what the installer was told; nothing is set where it was told nothing.</summary>
    [SupportedOSPlatform("windows")]
    internal static IEnumerable<AgentSetting> ReadRegistry()
    {
        using var key = Registry.LocalMachine.OpenSubKey(Key);
        foreach (var name in key?.GetValueNames() ?? [])
            if (key!.GetValue(name) is string { Length: > 0 } value)
                yield return new AgentSetting(name, value, $@"HKEY_LOCAL_MACHINE\{Key}");
    }

    /// <summary>Adds them to a command line; what that gives itself counts instead.</summary>
    /// <param name="known">The options that settings may set.</param>
    /// <exception cref="IOException">A setting is not known, or has no value.</exception>
    internal static IReadOnlyList<string> AddTo(
        IReadOnlyList<string> arguments,
        IEnumerable<AgentSetting> settings,
        IReadOnlyList<Option> known
    )
    {
        List<string> made = [.. arguments];
        foreach (var (name, value, where) in settings)
        {
            if (known.FirstOrDefault(o => o.Name == $"--{name}") is not { } option || value.Length == 0)
                throw new IOException(
                    $"{where}: `{(name.Length <= 60 ? name : name[..60] + "…")}` is not a setting with a value. Expected NAME = "
                        + $"VALUE with one of {string.Join(", ", known.Select(o => o.Name[2..]))}."
                );
            if (!arguments.Any(a => a == option.Name || a.StartsWith(option.Name + '=', StringComparison.Ordinal)))
                made.AddRange(option.Name, value);
        }
        return made;
    }
}
