using System.Globalization;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http.Connections;

/// <summary>
/// How many files a process may have open here, connections among them. A service that has none left could neither take
/// connections nor write to its storage; one that turns connections away before that serves the others, and agents come
/// again.
/// </summary>
internal static class OpenFiles
{
    private const string Limits = "/proc/self/limits",
        Line = "Max open files";
    private const long ForStorage = 500,
        Fewest = 100;

    /// <summary>So many connections at once; null where the limit is not known or there is none.</summary>
    internal static long? ForConnections() => File.Exists(Limits) ? ForConnections(File.ReadLines(Limits)) : null;

    /// <param name="limits">What the system says of the process's limits.</param>
    internal static long? ForConnections(IEnumerable<string> limits) =>
        limits
            .FirstOrDefault(l => l.StartsWith(Line, StringComparison.Ordinal))
            ?[Line.Length..].Split(' ', StringSplitOptions.RemoveEmptyEntries)
            is [var soft, ..]
        && long.TryParse(soft, NumberStyles.None, CultureInfo.InvariantCulture, out var most)
            ? Math.Max(Fewest, most - ForStorage)
            : null;
}
