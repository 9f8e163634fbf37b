using System.Globalization;

namespace Furlough.Platform.Linux;

/// <summary>A running process, as far as it can be looked at.</summary>
internal sealed record RunningProcess(int Id, int Parent, uint User, string Name, string Root)
{
    /// <summary>
    /// Whether it is this very program: itself, or a command of it in the moment before that runs, with everything
    /// still open that this program has open.
    /// </summary>
    internal bool IsThisProgram() =>
        Id == System.Environment.ProcessId
        || (
            Parent == System.Environment.ProcessId
            && Processes.Link($"/proc/{Id}/exe") == System.Environment.ProcessPath
        );

    /// <summary>The system service that it belongs to; null for a person's program.</summary>
    internal string? Service()
    {
        try
        {
            return File.ReadLines($"/proc/{Id}/cgroup")
                .SelectMany(l => l[(l.LastIndexOf(':') + 1)..].Split('/').SkipWhile(p => p != "system.slice"))
                .FirstOrDefault(p => p.EndsWith(".service", StringComparison.Ordinal));
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    /// <summary>When it was started; null where that is not told any more.</summary>
    internal DateTimeOffset? StartedAt()
    {
        const int startField = 19,
            ticksPerSecond = 100;
        try
        {
            // The name, in brackets, may hold anything; the fields are counted behind it.
            var line = File.ReadAllText($"/proc/{Id}/stat");
            var ticks = long.Parse(
                line[(line.LastIndexOf(')') + 2)..].Split(' ')[startField],
                CultureInfo.InvariantCulture
            );
            var booted = long.Parse(
                File.ReadLines("/proc/stat").First(l => l.StartsWith("btime ", StringComparison.Ordinal))[
                    "btime ".Length..
                ],
                CultureInfo.InvariantCulture
            );
            return DateTimeOffset.FromUnixTimeSeconds(booted).AddSeconds((double)ticks / ticksPerSecond);
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    /// <summary>What it was started with under a name of its environment; null for nothing.</summary>
    internal string? Environment(string name)
    {
        try
        {
            return File.ReadAllText($"/proc/{Id}/environ")
                .Split('\0')
                .FirstOrDefault(v => v.StartsWith(name + "=", StringComparison.Ordinal))
                ?[(name.Length + 1)..];
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}

/// <summary>The processes of the system.</summary>
internal static class Processes
{
    internal static IEnumerable<RunningProcess> All()
    {
        foreach (var folder in Directory.EnumerateDirectories("/proc"))
        {
            if (!int.TryParse(Path.GetFileName(folder), NumberStyles.None, CultureInfo.InvariantCulture, out var id))
                continue;
            int parent;
            uint user;
            string name;
            try
            {
                var status = File.ReadAllLines(folder + "/status");
                name = status[0]["Name:".Length..].Trim();
                parent = int.Parse(Field("PPid:"), CultureInfo.InvariantCulture);
                user = uint.Parse(Field("Uid:"), CultureInfo.InvariantCulture);
                string Field(string field) =>
                    status.First(l => l.StartsWith(field, StringComparison.Ordinal)).Split('\t')[1];
            }
            catch (Exception gone)
                when (gone is IOException or UnauthorizedAccessException or InvalidOperationException)
            {
                continue;
            }
            yield return new RunningProcess(id, parent, user, name, Link(folder + "/root") ?? "/");
        }
    }

    internal static string? Link(string path)
    {
        try
        {
            return new FileInfo(path).LinkTarget;
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}
