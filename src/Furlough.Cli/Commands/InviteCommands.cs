using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>What `furlough machine` does with invites.</summary>
internal static class InviteCommands
{
    internal static Command Invite()
    {
        var room = new Option<string?>("--room") { Description = "Room of the machines that use it" };
        var machines = new Option<int>("--machines")
        {
            Description = "How many machines may use it",
            DefaultValueFactory = _ => 1,
        };
        var hours = new Option<int>("--hours") { Description = "How long it is valid", DefaultValueFactory = _ => 24 };
        var again = new Option<string?>("--again")
        {
            Description = "Name of a reinstalled machine that takes its former place",
        };
        var rules = new Option<string[]>("--room-rule")
        {
            Description =
                "Room by the machines' names, as `NAMES=ROOM` with * for any text; may be given several times",
        };
        rules.Validators.Add(given =>
        {
            foreach (var rule in given.Tokens.Where(t => t.Value.IndexOf('=') < 1))
                given.AddError(
                    $"`{rule.Value}` is not a rule for rooms. Expected NAMES=ROOM, such as herb-*=Herbarium."
                );
        });
        var invite = new Command("invite", "Create an invite with which agents enrol")
        {
            room,
            rules,
            machines,
            hours,
            again,
        };
        invite.Calls(
            async (client, parsed, stop) =>
            {
                var (wanted, former) = (parsed.GetValue(room), parsed.GetValue(again));
                var made = await client.InviteAsync(
                    new InviteRequest(
                        wanted,
                        parsed.GetValue(machines),
                        parsed.GetValue(hours),
                        former,
                        parsed.GetValue(rules) is { Length: > 0 } given ? [.. given.Select(RuleOf)] : null
                    ),
                    stop
                );
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(made);
                else
                {
                    Terminal.Line(
                        $"Invite for {Words.Count(made.Machines, "machine")}, valid until {made.Expires:u}. Anyone who has its code can "
                            + "bring machines in:"
                    );
                    Terminal.Line();
                    Terminal.Line($"  {made.Code}");
                    foreach (var way in made.Ways)
                    {
                        Terminal.Line();
                        Terminal.Line($"{way.On}:");
                        Terminal.Line();
                        foreach (var command in way.Commands.Split('\n'))
                            Terminal.Output.WriteLine($"  {command}");
                    }
                }
                return ExitCode.Done;
            }
        );
        return invite;
    }

    private static RoomRule RuleOf(string rule)
    {
        var at = rule.IndexOf('=');
        return new RoomRule(rule[..at].Trim(), rule[(at + 1)..].Trim());
    }

    internal static Command Invites()
    {
        var invites = new Command("invites", "List invites that can still be used; their codes are not shown again");
        invites.Calls(
            async (client, json, stop) =>
            {
                var open = await client.InvitesAsync(stop);
                if (json)
                    Terminal.Json(open);
                else
                    Terminal.Table(
                        ["invite", "room", "for", ">machines left", "valid until", "made by"],
                        open.Select(i =>
                            (string[])
                                [
                                    i.Id,
                                    i.Room ?? "any",
                                    i.Again ?? "new machines",
                                    $"{i.Left}",
                                    $"{i.Expires:u}",
                                    i.MadeBy,
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return invites;
    }

    internal static Command Uninvite()
    {
        var id = new Argument<string>("invite") { Description = "The invite, as shown by `furlough machine invites`" };
        var command = new Command("uninvite", "Revoke an invite; machines that have used it keep their places") { id };
        command.Calls(
            async (client, parsed, stop) =>
            {
                await client.RevokeInviteAsync(parsed.GetValue(id)!, stop);
                Terminal.Line($"Nobody can use the invite {parsed.GetValue(id)} any more.");
                return ExitCode.Done;
            }
        );
        return command;
    }
}
