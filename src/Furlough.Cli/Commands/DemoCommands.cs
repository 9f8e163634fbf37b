using System.CommandLine;
using Furlough.Cli.Demo;
using Furlough.Cli.Output;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service;
using Furlough.Service.Access;
using Furlough.Station;

namespace Furlough.Cli.Commands;

/// <summary>`furlough demo`.</summary>
internal static class DemoCommands
{
    private const string Marker = "furlough-demo";

    private const string RecordingsCard = """
        furlough-kind: 1
        name: recordings
        title: Recordings of the station's sound recorder
        pointers:
          - {file: "{home}/.config/recorder.toml", syntax: toml, key: storage/base, wants: parent, adds: Recordings}
        """;

    private const string FieldBookCard = """
        furlough-kind: 1
        name: field-book
        title: Books of notes, one for everybody in a course
        systems: ["Fenland Desk *"]
        found-by: /programs/field-book
        usual: "{home}/field-book"
        first-start: [/programs/field-book, --make]
        pointers:
          - {file: "{home}/.config/field-book.toml", syntax: toml, key: book/folder}
        """;

    internal static Command Make()
    {
        var data = new Option<string>("--data")
        {
            Description = "Folder of the demo",
            DefaultValueFactory = _ => "demo-data",
        };
        var fresh = new Option<bool>("--fresh")
        {
            Description = "Start over: delete what an earlier demo left in the folder",
        };
        var machines = new Option<int>("--machines")
        {
            Description = "How many stand-in workstations",
            DefaultValueFactory = _ => 59,
        };
        var seed = new Option<ulong>("--seed")
        {
            Description = "The same seed gives the same station",
            DefaultValueFactory = _ => 7,
        };
        var speed = new Option<double>("--speed")
        {
            Description = "Simulated seconds in a real one",
            DefaultValueFactory = _ => 1_500,
        };
        var run = new Option<string>("--run")
        {
            Description = "Room that is relocated at the start; - for none",
            DefaultValueFactory = _ => "Wet Lab",
        };
        var code = new Option<string?>("--code")
        {
            Description = "Invite for the stand-ins, with a service that runs already; left out, an invite is created",
        };
        var port = new Option<int>("--port")
        {
            Description = "Port on this machine's loopback; 0 picks a free one",
            DefaultValueFactory = _ => 8400,
        };
        var once = new Option<bool>("--once") { Description = "End when that run has ended" };
        var start = new Command("start", "Start a service with a field station of stand-in workstations")
        {
            data,
            fresh,
            machines,
            seed,
            speed,
            run,
            code,
            once,
            port,
        };
        start.SetAction(
            async (parsed, stop) =>
            {
                var settings = new DemoSettings(
                    Path.GetFullPath(parsed.GetValue(data)!),
                    parsed.GetValue(fresh),
                    parsed.GetValue(machines),
                    parsed.GetValue(seed),
                    parsed.GetValue(speed),
                    parsed.GetValue(run)!,
                    parsed.GetValue(once),
                    parsed.GetValue(port),
                    parsed.GetValue(Connection.Service),
                    parsed.GetValue(Connection.Token),
                    parsed.GetValue(code)
                );
                try
                {
                    return await RunAsync(settings, stop);
                }
                catch (ServiceException error)
                {
                    return Terminal.Fail(error);
                }
                catch (OperationCanceledException)
                {
                    return ExitCode.Done;
                }
                catch (IOException error)
                {
                    await Terminal.Error.WriteLineAsync($"furlough: the demo cannot start: {error.Message}");
                    return ExitCode.Failed;
                }
            }
        );
        return new Command("demo", "Try everything on a made-up field station") { start };
    }

    private sealed record DemoSettings(
        string Data,
        bool Fresh,
        int Machines,
        ulong Seed,
        double Speed,
        string Room,
        bool Once,
        int Port,
        string? Service,
        string? Token,
        string? Code
    );

    private static async Task<int> RunAsync(DemoSettings settings, CancellationToken stop)
    {
        if (settings.Machines is < 1 or > 20_000)
            throw new ServiceException(
                400,
                "machines-refused",
                "A demo has 1 to 20,000 machines.",
                "Give another --machines.",
                null,
                null
            );
        if (!(settings.Speed > 0))
            throw new ServiceException(
                400,
                "speed-refused",
                "`--speed` must be greater than 0.",
                "Give a number of simulated seconds in a real one, such as `--speed 60`.",
                null,
                null
            );
        Prepare(settings);
        await using var own = settings.Service is null
            ? await ServiceHost.StartAsync(
                new ServiceOptions(Path.Combine(settings.Data, "service"), settings.Port),
                stop
            )
            : null;
        var address = own?.Address ?? new Uri(settings.Service!);
        var token = own is null
            ? settings.Token
            : (await File.ReadAllTextAsync(Path.Combine(settings.Data, "service", StewardToken.FileName), stop)).Trim();
        using var client = new FurloughClient(address, token);
        foreach (var card in own is null ? [] : (string[])[RecordingsCard, FieldBookCard])
            await client.AddKindAsync(card, [], stop);
        using var ending = CancellationTokenSource.CreateLinkedTokenSource(stop);
        var code = settings.Code
            ?? (await client.InviteAsync(new InviteRequest(null, settings.Machines, 24), stop)).Code;
        var enrolled = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        var machines = FieldStation.Make(settings.Machines, settings.Seed);
        var station = new StationHost(address, Path.Combine(settings.Data, "station"), settings.Speed, line =>
            Terminal.Line(line)
        ).RunAsync(machines, code, enrolled.SetResult, ending.Token);
        Terminal.Line($"Console   {address.ToString().TrimEnd('/')}/#token={token}");
        Terminal.Line(
            "Terminal  " + $"export FURLOUGH_SERVICE={address.ToString().TrimEnd('/')} FURLOUGH_TOKEN={token}"
        );
        Terminal.Line();
        await await Task.WhenAny(enrolled.Task, station);
        await SurveyedAsync(client, machines.Count(m => m.LeavesAfter != FieldStation.Enrolling), stop);
        Terminal.Line(
            $"Calder Fen Field Station: {settings.Machines} stand-in workstations are enrolled and surveyed."
        );
        var outcome = settings.Room == "-" ? ExitCode.Done : await CarryOutAsync(client, settings.Room, stop);
        if (!settings.Once)
        {
            Terminal.Line("\nThe console stays open until you press Ctrl+C.");
            await station;
        }
        await ending.CancelAsync();
        await station;
        return outcome is ExitCode.DoneInPart ? ExitCode.Done : outcome;
    }

    /// <summary>Only a folder that a demo made is ever removed.</summary>
    private static void Prepare(DemoSettings settings)
    {
        var marker = Path.Combine(settings.Data, Marker);
        if (settings.Fresh && Directory.Exists(settings.Data))
        {
            if (!File.Exists(marker))
                throw new IOException(
                    $"{settings.Data} was not made by a demo and is left as it is; give another --data."
                );
            Directory.Delete(settings.Data, recursive: true);
        }
        Directory.CreateDirectory(settings.Data);
        File.WriteAllText(marker, "Made by `furlough demo start`; removed by `furlough demo start --fresh`.\n");
    }

    private static async Task SurveyedAsync(FurloughClient client, int machines, CancellationToken stop)
    {
        while ((await client.MachinesAsync(null, null, stop)).Count(m => m.SurveyedAt is not null) < machines)
            await Task.Delay(500, stop);
    }

    private static async Task<int> CarryOutAsync(FurloughClient client, string room, CancellationToken stop)
    {
        var plan = await client.MakePlanAsync(BriefOf(room), stop);
        if (plan.Relocations.All(r => r.Blocked.Count > 0))
        {
            Terminal.Line($"The {room} has been relocated already; --fresh begins again.");
            return ExitCode.Done;
        }
        foreach (var hazard in plan.ConsentsWanted)
            await client.ConsentAsync(plan.Number, new ConsentRequest(hazard, "part of the demo"), stop);
        var run = await client.StartRunAsync(plan.Number, stop);
        Terminal.Line(
            $"Plan {plan.Number} is carried out as run {run.Number}: {run.Relocations} relocations on "
                + $"{run.Machines} machines of the {room}.\n"
        );
        return await RunFollowing.FollowAsync(client, run.Number, json: false, stop);
    }

    private static string BriefOf(string room) =>
        $"""
            furlough-brief: 1
            title: {room}, free the system volumes
            machines: {"{"}rooms: ["{room}"]{"}"}
            volumes:
              roomy: {"{"}attached: internal, system: false{"}"}
            relocate:
              - folders: [Pictures]
                on: [wet-01]
                onto: roomy
                path: People/{"{account}/{folder}"}
                afterwards: [confirm-by-eye]
              - folders: [Documents, Pictures, Music, Videos, Downloads]
                onto: roomy
                path: People/{"{account}/{folder}"}
            reserve: {"{"}others: 10%{"}"}
            """;
}
