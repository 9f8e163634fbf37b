using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough errand`.</summary>
internal static class ErrandCommands
{
    private static readonly Argument<long> Number = new("number") { Description = "Number of the errand" };

    internal static Command Make() =>
        new Command("errand", "List and settle what only a person can do: plug in, sign out, restart, look")
        {
            ListCommand(),
            ClaimCommand(),
            FinishCommand(),
            DeclineCommand(),
        };

    private static Command ListCommand()
    {
        var all = new Option<bool>("--all") { Description = "Also those that are over" };
        var list = new Command("list", "List what waits for a person, the most urgent first") { all };
        list.Calls(
            async (client, parsed, stop) =>
            {
                var errands = await client.ErrandsAsync(parsed.GetValue(all), stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(errands);
                else if (errands.Count == 0)
                    Terminal.Line("Nothing waits for a person.");
                else
                    foreach (var errand in errands)
                        Say(errand);
                return errands.Any(e => e.State.IsToDo()) ? ExitCode.WaitsForPerson : ExitCode.Done;
            }
        );
        return list;
    }

    private static Command ClaimCommand()
    {
        var claimant = new Option<string?>("--as")
        {
            Description = "The person or group that will do it; left out: you",
        };
        var claim = new Command("claim", "Claim an errand: someone will do it") { Number, claimant };
        claim.Calls(
            (client, parsed, stop) =>
                ShowAsync(parsed, client.ClaimErrandAsync(parsed.GetValue(Number), parsed.GetValue(claimant), stop))
        );
        return claim;
    }

    private static Command FinishCommand()
    {
        var note = new Option<string?>("--note") { Description = "A remark for the history" };
        var finish = new Command("finish", "Finish an errand: it is done, and what waited for it starts")
        {
            Number,
            note,
        };
        finish.Calls(
            (client, parsed, stop) =>
                ShowAsync(parsed, client.EndErrandAsync(parsed.GetValue(Number), "finish", parsed.GetValue(note), stop))
        );
        return finish;
    }

    private static Command DeclineCommand()
    {
        var reason = new Option<string>("--reason") { Description = "Why it will not be done", Required = true };
        var decline = new Command(
            "decline",
            "Decline an errand: it will not be done, and what waits for it is backed out"
        )
        {
            Number,
            reason,
        };
        decline.Calls(
            (client, parsed, stop) =>
                ShowAsync(
                    parsed,
                    client.EndErrandAsync(parsed.GetValue(Number), "decline", parsed.GetValue(reason), stop)
                )
        );
        return decline;
    }

    private static async Task<int> ShowAsync(ParseResult parsed, Task<ErrandView> asked)
    {
        var errand = await asked;
        if (parsed.GetValue(Connection.Json))
            Terminal.Json(errand);
        else
            Say(errand);
        return ExitCode.Done;
    }

    private static void Say(ErrandView e)
    {
        var standing = e.State switch
        {
            ErrandState.Open => "nobody has claimed it",
            ErrandState.Claimed => $"claimed by {e.ClaimedBy}",
            ErrandState.Lapsed => $"lapsed {e.EndedAt:u}: it settled itself",
            _ => $"{e.State.Word()} by {e.EndedBy} {e.EndedAt:u}{(e.Remark is null ? "" : $": {e.Remark}")}",
        };
        Terminal.Line(
            $"{e.Number, 4}  {e.Kind.Word()}  {e.Machine}{(e.Account is null ? "" : $", {e.Account}")}  "
                + $"{(e.State.IsToDo() ? $"{(e.Overdue ? "overdue since" : "until")} {e.Due:yyyy-MM-dd HH:mm}Z, " : "")}{standing}"
        );
        Terminal.Line($"      {e.Text}");
    }
}
