using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using Furlough.Bench;
using Furlough.Planning.Plans;
using Furlough.Protocol;
using Furlough.Protocol.Api;

// Measures one service with a large fleet: taking surveys in, and what the pages about many machines ask for. Takes the
// path of `furlough`.
const int callsAtOnce = 16,
    looks = 9;
var program = args is [var given, ..] ? given : "bin/furlough";
int[] counts = args is [_, .. { Length: > 0 } wanted]
    ? [.. wanted.Select(w => int.Parse(w, CultureInfo.InvariantCulture))]
    : [1_000, 10_000];
TableRow.PrintHead(
    "machines",
    "surveys a second",
    "second round",
    "machines, ms",
    "a room's shelves, ms",
    "volumes, ms",
    "first look after the start, s",
    "memory",
    "rooms in a browser: usable, ms",
    "stands still while scrolled, ms",
    "after a leap, ms",
    "while filtered, ms"
);
foreach (var count in counts)
{
    var folder = Directory.CreateTempSubdirectory("furlough-bench-");
    try
    {
        await MeasureAsync(count, folder.FullName);
    }
    finally
    {
        folder.Delete(recursive: true);
    }
}

async Task MeasureAsync(int count, string folder)
{
    var service = Start(folder, out var address);
    try
    {
        using var http = new HttpClient { BaseAddress = new Uri(address + "/") };
        var token = File.ReadAllText(Path.Combine(folder, "steward-token")).Trim();
        using var steward = new FurloughClient(new Uri(address + "/"), token);
        var code = (await steward.InviteAsync(new InviteRequest(null, count), default)).Code;
        var agents = new AgentClient(http);
        var fleet = MadeUpFleet.Of(count, TimeProvider.System.GetUtcNow());
        var sessions = new string[count];
        await EachAsync(fleet, async (machine, i) =>
        {
            var key = SigningKey.Make();
            var enrolled = await agents.EnrolAsync(
                new EnrolRequest(code, machine.Name, machine.Room, key.Public, $"machine-{i}", ProtocolVersion.Newest),
                default
            );
            sessions[i] = (
                await agents.OpenSessionAsync(key, enrolled.Machine, $"machine-{i}", AgentCounters.None, default)
            ).Token;
        });
        var first = await EachAsync(fleet, (machine, i) => agents.SurveyAsync(sessions[i], machine.Survey!, default));
        var second = await EachAsync(fleet, (machine, i) =>
            agents.SurveyAsync(
                sessions[i],
                machine.Survey! with
                {
                    TakenAt = machine.Survey!.TakenAt.AddHours(1),
                },
                default
            )
        );

        service.Kill(entireProcessTree: true);
        await service.WaitForExitAsync();
        service.Dispose();
        service = Start(folder, out address);
        using var asker = new HttpClient { BaseAddress = new Uri(address + "/api/v1/") };
        asker.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        var start = await LookAsync(asker, "machines", 1);
        var times = new List<double>();
        foreach (var page in (string[])["machines", $"rooms/{Uri.EscapeDataString(fleet[0].Room)}/shelves", "space"])
            times.Add(await LookAsync(asker, page, looks));
        var browsed = await BrowseAsync(address, token);
        TableRow.Print(
            $"{count:N0}",
            $"{count / first.TotalSeconds:0}",
            $"{count / second.TotalSeconds:0}",
            $"{times[0]:0}",
            $"{times[1]:0}",
            $"{times[2]:0}",
            $"{start / 1000:0.0}",
            $"{Memory(service)} MB",
            $"{browsed}"
        );
    }
    finally
    {
        service.Kill(entireProcessTree: true);
        await service.WaitForExitAsync();
        service.Dispose();
    }
}

// What someone sees of the page of rooms, by a real browser.
static async Task<string> BrowseAsync(string address, string token)
{
    using var browsing = Process.Start(
        new ProcessStartInfo("node", ["src/console/bench/rooms.mjs", address, token]) { RedirectStandardOutput = true }
    )!;
    return (await browsing.StandardOutput.ReadToEndAsync()).Trim();
}

Process Start(string folder, out string address)
{
    var service = Process.Start(
        new ProcessStartInfo(program, ["service", "start", "--data", folder, "--port", "0"])
        {
            RedirectStandardOutput = true,
        }
    )!;
    address = service.StandardOutput.ReadLine()!["listening on ".Length..].TrimEnd('/');
    return service;
}

static async Task<TimeSpan> EachAsync(List<FleetMachine> fleet, Func<FleetMachine, int, Task> act)
{
    var watch = Stopwatch.StartNew();
    await Parallel.ForAsync(
        0,
        fleet.Count,
        new ParallelOptions { MaxDegreeOfParallelism = callsAtOnce },
        async (i, _) => await act(fleet[i], i)
    );
    return watch.Elapsed;
}

// The median of several looks, in milliseconds, to the last byte.
static async Task<double> LookAsync(HttpClient asker, string page, int times)
{
    List<double> took = [];
    for (var i = 0; i < times; i++)
    {
        var watch = Stopwatch.StartNew();
        await asker.GetByteArrayAsync(page);
        took.Add(watch.Elapsed.TotalMilliseconds);
    }
    return took.Order().ElementAt(times / 2);
}

// The most memory that the service ever held.
static long Memory(Process service)
{
    var line = File.ReadLines($"/proc/{service.Id}/status")
        .First(l => l.StartsWith("VmHWM:", StringComparison.Ordinal));
    return long.Parse(line.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1], CultureInfo.InvariantCulture) / 1000;
}
