using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough machine`.</summary>
internal static class MachineCommands
{
    private static readonly Argument<string> Name = new("name") { Description = "Name of the machine" };

    internal static Command Make() =>
        new Command("machine", "Show and manage machines, their volumes and their holdings")
        {
            ListCommand(),
            ShowCommand(),
            SurveyCommand(),
            SpaceCommand.Make(),
            InviteCommands.Invite(),
            InviteCommands.Invites(),
            InviteCommands.Uninvite(),
            SetTag(),
            SetReserve(),
            Drill(),
            Hold(),
            Release(),
            Forget(),
        };

    private static Command ListCommand()
    {
        var room = new Option<string?>("--room") { Description = "Only those of a room" };
        var standing = new Option<string?>("--standing")
        {
            Description = $"Only those with a standing: {string.Join(", ", Words.All<Standing>())}",
        };
        var list = new Command("list", "List machines, those that need attention first") { room, standing };
        list.Calls(
            (client, parsed, stop) =>
                ListAsync(
                    client,
                    parsed.GetValue(room),
                    parsed.GetValue(standing),
                    parsed.GetValue(Connection.Json),
                    stop
                )
        );
        return list;
    }

    private static Command ShowCommand()
    {
        var show = new Command("show", "Show a machine's volumes and holdings") { Name };
        show.Calls(
            async (client, parsed, stop) =>
                MachineText.Show(
                    await client.MachineAsync(parsed.GetValue(Name)!, stop),
                    parsed.GetValue(Connection.Json)
                )
        );
        return show;
    }

    private static Command SurveyCommand()
    {
        var survey = new Command("survey", "Survey a machine again") { Name };
        survey.Calls(
            async (client, parsed, stop) =>
            {
                var asked = await client.SurveyAsync(parsed.GetValue(Name)!, stop);
                var now = await WaitForSurveyAsync(client, asked, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(now);
                else
                    Terminal.Line(
                        !now.SurveyWanted
                            ? $"{now.Name} surveyed at {now.SurveyedAt:u}: {Words.Count(now.Holdings, "holding")}, "
                                + $"{Words.Size(now.DataBytes)}."
                            : $"{now.Name} has not answered yet; it surveys itself when it does."
                    );
                return now.SurveyWanted ? ExitCode.WaitsForPerson : ExitCode.Done;
            }
        );
        return survey;
    }

    private static Argument<string[]> Names() =>
        new("names") { Description = "Names of the machines", Arity = ArgumentArity.OneOrMore };

    private static Command Forget()
    {
        var withOriginals = new Option<bool>("--with-originals")
        {
            Description =
                "Although it keeps originals or has relocations that have not ended: the machine is gone for good",
        };
        var yes = new Option<bool>("--yes") { Description = "Do not ask for confirmation" };
        var command = new Command(
            "forget",
            "Remove a machine from the service for good; nothing on the machine itself changes"
        )
        {
            Name,
            withOriginals,
            yes,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var name = parsed.GetValue(Name)!;
                if (!parsed.GetValue(yes) && !Console.IsInputRedirected && !IsConfirmed(name))
                    return ExitCode.Refused;
                await client.ForgetAsync(name, parsed.GetValue(withOriginals), stop);
                if (!parsed.GetValue(Connection.Json))
                    Terminal.Line($"{name} is forgotten. Its agent is turned away from now on; uninstall it there.");
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static bool IsConfirmed(string name)
    {
        Terminal.Error.Write(
            $"This removes {name} and everything that the service knows of it but the history. Type its name to go on: "
        );
        return Console.ReadLine()?.Trim() == name;
    }

    private static Command Drill()
    {
        var volume = new Option<string>("--volume") { Description = "Where the volume is mounted", Required = true };
        var account = new Option<string>("--account") { Description = "Who signs in at the end", Required = true };
        var command = new Command(
            "drill",
            "Start a drill: people try what happens without a volume that is to hold homes. Each step is an errand; the results are kept"
        )
        {
            Name,
            volume,
            account,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var name = parsed.GetValue(Name)!;
                var drill = await client.DrillAsync(
                    name,
                    new DrillRequest(parsed.GetValue(volume)!, parsed.GetValue(account)!),
                    stop
                );
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(drill);
                else
                    Terminal.Line($"A drill with {drill.Volume} of {name} has begun. Next: furlough errand list");
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static Command Hold()
    {
        var names = Names();
        var reason = new Option<string>("--reason")
        {
            Description = "What is going on at the machine",
            Required = true,
        };
        var command = new Command(
            "hold",
            "Hold machines: start nothing further on them. Accounts that are locked out already can sign in again first"
        )
        {
            names,
            reason,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var machines = parsed.GetValue(names)!;
                await client.HoldAsync(machines, parsed.GetValue(reason), stop);
                Terminal.Line(
                    $"{Words.Count(machines.Length, "machine is", "machines are")} held. Next: furlough machine "
                        + $"release {string.Join(' ', machines)}"
                );
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static Command Release()
    {
        var names = Names();
        var command = new Command("release", "Release held machines: work on them continues") { names };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var machines = parsed.GetValue(names)!;
                await client.HoldAsync(machines, null, stop);
                Terminal.Line($"{Words.Count(machines.Length, "machine goes", "machines go")} on.");
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static Command SetTag()
    {
        var names = Names();
        var tag = new Option<string?>("--is")
        {
            Description = "What they are for, in a word of your own; left out, the word is removed",
        };
        var command = new Command("tag", "Say in a word what machines are for, so that briefs can select them by it")
        {
            names,
            tag,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var (machines, word) = (parsed.GetValue(names)!, parsed.GetValue(tag));
                await client.SetTagAsync(machines, word, stop);
                Terminal.Line(
                    word is null
                        ? $"{Words.Count(machines.Length, "machine has", "machines have")} no tag now."
                        : $"{Words.Count(machines.Length, "machine is", "machines are")} tagged {word} now; briefs "
                            + $"select them by `tags: [{word}]`."
                );
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static Command SetReserve()
    {
        var room = new Option<string?>("--room")
        {
            Description = "Name of the room; left out, the reserve applies to all rooms without one of their own",
        };
        var system = new Option<string?>("--system")
        {
            Description = "Space to leave free on system volumes: a size such as 60 GB, or a share such as 25%",
        };
        var others = new Option<string?>("--others") { Description = "Space to leave free on every other volume" };
        var none = new Option<bool>("--none") { Description = "Remove the reserve" };
        var command = new Command(
            "reserve",
            "Show or set how much space is left free on volumes of a room or of all machines; a brief may differ for its own plans"
        )
        {
            room,
            system,
            others,
            none,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var (where, own, rest) = (parsed.GetValue(room), parsed.GetValue(system), parsed.GetValue(others));
                if (own is not null || rest is not null || parsed.GetValue(none))
                {
                    if (parsed.GetValue(none) && (own is not null || rest is not null))
                        throw new ServiceException(
                            0,
                            "options-exclude",
                            "--none takes the reserve back, and --system or --others say one.",
                            "Give one or the other.",
                            null,
                            null
                        );
                    await client.SetReserveAsync(where, own, rest, stop);
                }
                var said = await client.ReservesAsync(stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(said);
                else if (said.Count == 0)
                    Terminal.Line(
                        "No reserve is said: `machine space` goes by that of each machine's last run. Next: "
                            + "furlough machine reserve --system 25%"
                    );
                else
                    Terminal.Table(
                        ["room", "system volume", "other volumes", "said by"],
                        said.Select(r => (string[])[r.Room ?? "all others", r.System, r.Others, r.SaidBy])
                    );
                return ExitCode.Done;
            }
        );
        return command;
    }

    private static async Task<int> ListAsync(
        FurloughClient client,
        string? room,
        string? standing,
        bool json,
        CancellationToken stop
    )
    {
        var machines = await client.MachinesAsync(room, standing, stop);
        if (json)
        {
            Terminal.Json(machines);
            return ExitCode.Done;
        }
        Terminal.Table(
            ["machine", "room", "standing", "system volume", ">free", ">holdings", ">data", "attention"],
            machines
                .OrderByDescending(m => Urgency(m.Standing))
                .ThenBy(m => m.Name, StringComparer.Ordinal)
                .Select(m =>
                    (string[])
                        [
                            m.Name,
                            m.Room,
                            m.Standing.Show(),
                            m.System is { } shelf ? ShelfText.Draw(shelf, 24) : "",
                            m.System is { SizeBytes: > 0 } system
                                ? $"{Words.Size(system.FreeBytes)} ({100.0 * system.FreeBytes / system.SizeBytes:0}%)"
                                : "",
                            $"{m.Holdings}",
                            Words.Size(m.DataBytes),
                            Shorten(m.Attention ?? "", 60),
                        ]
                )
        );
        Terminal.Line();
        Terminal.Line(ShelfText.Legend);
        return ExitCode.Done;
    }

    private static async Task<MachineSummary> WaitForSurveyAsync(
        FurloughClient client,
        MachineSummary asked,
        CancellationToken stop
    )
    {
        for (var i = 0; ; i++)
        {
            var now = (await client.MachineAsync(asked.Name, stop)).Machine;
            if (!now.SurveyWanted || i == 60 || now.Standing == Standing.Silent)
                return now;
            await Task.Delay(500, stop);
        }
    }

    internal static string Shorten(string text, int length) =>
        text.Length <= length ? text : text[..(length - 1)] + "…";

    private static int Urgency(Standing standing) =>
        standing switch
        {
            Standing.Stuck => 6,
            Standing.Drifted => 5,
            Standing.Waiting => 4,
            Standing.UnderWay => 3,
            Standing.Silent => 2,
            _ => 0,
        };
}
