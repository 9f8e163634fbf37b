using System.Diagnostics;
using System.Globalization;
using Furlough.Bench;
using Furlough.Protocol;
using Furlough.Protocol.Api;

// Measures one service with a fleet of stand-in agents, each with its own key, connection and outbox: a run over good
// connections, then one in which connections break and the service is killed, at random. Takes the path of `furlough`
// and how many agents.
if (args is [Bays.Verb, var service, var code, var first, var count, var folder])
    return await Bays.RunAsync(
        new Uri(service),
        code,
        int.Parse(first, CultureInfo.InvariantCulture),
        int.Parse(count, CultureInfo.InvariantCulture),
        folder
    );

var program = args is [var given, ..] ? given : "bin/furlough";
int[] counts = args is [_, .. { Length: > 0 } wanted]
    ? [.. wanted.Select(w => int.Parse(w, CultureInfo.InvariantCulture))]
    : [1_000, 3_000, 10_000];
TableRow.PrintHead(
    "agents",
    "<run",
    "relocations",
    "took, s",
    "relocations a second",
    "cores of the service",
    "its memory at most",
    "<told to consoles: median, 99 of 100, last",
    "service killed",
    "connections broken",
    "bulletins",
    "lost",
    "applied twice or not at all"
);
foreach (var agents in counts)
{
    var data = Directory.CreateTempSubdirectory("furlough-bench-").FullName;
    try
    {
        await new FleetRun(program, data, agents).MeasureAsync();
    }
    finally
    {
        Directory.Delete(data, recursive: true);
    }
}
return 0;
