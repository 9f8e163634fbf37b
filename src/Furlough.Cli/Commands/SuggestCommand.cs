using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough brief suggest`: prints a brief; why it is so stands in its comments.</summary>
internal static class SuggestCommand
{
    internal static Command Make()
    {
        var free = new Option<string?>("--free")
        {
            Description = "How much more is to be free on each system volume, such as '60 GB'",
        };
        var until = new Option<string?>("--until")
        {
            Description = "How much is to be free at the end, such as '25%' or '80 GB'",
        };
        var rooms = new Option<string[]>("--room") { Description = "Only machines of this room; may be repeated" };
        var machines = new Option<string[]>("--machine")
        {
            Description = "Only machines of this name or pattern; may be repeated",
        };
        var except = new Option<string[]>("--except") { Description = "Leave out these machines; may be repeated" };
        var reserve = new Option<string>("--reserve")
        {
            Description = "What is to be left free on the other volumes",
            DefaultValueFactory = _ => "10%",
        };
        var suggest = new Command(
            "suggest",
            "Suggest what to relocate to free an amount of space with the least disturbance, as a brief"
        )
        {
            free,
            until,
            rooms,
            machines,
            except,
            reserve,
        };
        suggest.Calls(
            async (client, parsed, stop) =>
            {
                var answer = await client.SuggestAsync(
                    new SuggestRequest(
                        parsed.GetValue(rooms) ?? [],
                        parsed.GetValue(machines) ?? [],
                        parsed.GetValue(except) ?? [],
                        parsed.GetValue(free),
                        parsed.GetValue(until),
                        parsed.GetValue(reserve)!
                    ),
                    stop
                );
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(answer);
                else
                    Print(answer);
                return answer.Machines.All(m => m.Reached) ? ExitCode.Done
                    : answer.Brief is null ? ExitCode.Failed
                    : ExitCode.DoneInPart;
            }
        );
        return suggest;
    }

    private static void Print(SuggestionView answer)
    {
        Terminal.Output.WriteLine($"# Disturbance is counted in points: {answer.Weights}.");
        if (answer.Originals.Count > 0)
            Terminal.Output.WriteLine(
                $"# On these system volumes {answer.Originals} `furlough original discard --due` frees what can go."
            );
        foreach (var machine in answer.Machines)
            Print(machine);
        if (answer.Brief is { } brief)
        {
            Terminal.Output.WriteLine();
            Terminal.Output.Write(brief);
        }
    }

    private static void Print(MachineSuggestionView machine)
    {
        Terminal.Output.WriteLine("#");
        Terminal.Output.WriteLine($"# {machine.Machine} ({machine.Room}): {Gain(machine)}. {machine.Why}");
        foreach (var move in machine.Moves)
            Terminal.Output.WriteLine(
                $"#   {HoldingName.InWords(move.Holding, move.Account)} onto {move.Target}, "
                    + $"{Words.Size(move.FreesBytes)}, {move.Disturbance:0.0} points; takes "
                    + $"{PlanCommands.Time(move.Work)}, outage {PlanCommands.Time(move.Outage)}"
            );
        if (machine.NextBest.Count > 0)
            Terminal.Output.WriteLine(
                $"#   next best: {string.Join(", ", machine.NextBest)} ({machine.NextBestDisturbance:0.0} points)"
            );
        if (machine.Gap is > 0)
            Terminal.Output.WriteLine(
                $"#   not proven to be the best: another choice may disturb up to {machine.Gap:0%} less"
            );
    }

    private static string Gain(MachineSuggestionView machine)
    {
        if (machine.WantedBytes == 0)
            return "nothing to do";
        var reached = machine.Reached ? "" : ", NOT REACHED";
        return $"frees {Words.Size(machine.FreesBytes)} of {Words.Size(machine.WantedBytes)} wanted{reached}, "
            + $"{machine.Disturbance:0.0} points";
    }
}
