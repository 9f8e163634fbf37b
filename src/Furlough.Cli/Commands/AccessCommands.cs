using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough access`.</summary>
internal static class AccessCommands
{
    internal static Command Make()
    {
        var name = new Argument<string>("name") { Description = "Whose token it is" };
        var role = new Option<string>("--role") { Description = string.Join(", ", Words.All<Role>()), Required = true };
        role.AcceptOnlyFromAmong([.. Words.All<Role>()]);
        var days = new Option<int?>("--days") { Description = "Days after which it expires; left out, never" };
        var add = new Command("add", "Make a token with a role; it is shown once") { name, role, days };
        add.Calls(
            async (client, parsed, stop) =>
                Show(
                    parsed,
                    await client.AddTokenAsync(
                        new TokenRequest(
                            parsed.GetValue(name)!,
                            Words.Find<Role>(parsed.GetValue(role)!)!.Value,
                            parsed.GetValue(days)
                        ),
                        stop
                    )
                )
        );
        var list = new Command("list", "List tokens: whose, which role, until when");
        list.Calls(
            async (client, json, stop) =>
            {
                var tokens = await client.TokensAsync(stop);
                if (json)
                    Terminal.Json(tokens);
                else
                    Terminal.Table(
                        ["name", "role", "made", "by", "valid until"],
                        tokens.Select(t =>
                            (string[])
                                [
                                    t.Name,
                                    t.Role.Word(),
                                    t.MadeAt is { } made ? $"{made:u}" : "at the first start",
                                    t.MadeBy ?? "",
                                    t.RevokedAt is { } revoked ? $"revoked {revoked:u}"
                                    : t.Expires is { } expires ? $"{expires:u}"
                                    : "it is revoked",
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        var replace = new Command(
            "replace",
            "Make a token's secret anew; the old one and its console sessions end. The new one is shown once"
        )
        {
            name,
        };
        replace.Calls(
            async (client, parsed, stop) =>
                Show(parsed, await client.ReplaceTokenAsync(new TokenReplacement(parsed.GetValue(name)!), stop))
        );
        var revoke = new Command("revoke", "End a token, and the console sessions begun with it") { name };
        revoke.Calls(
            async (client, parsed, stop) =>
            {
                var token = await client.RevokeTokenAsync(parsed.GetValue(name)!, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(token);
                else
                    Terminal.Line($"The token of {token.Name} is revoked.");
                return ExitCode.Done;
            }
        );
        return new Command("access", "Who may do what") { add, list, replace, revoke };
    }

    private static int Show(ParseResult parsed, TokenMade made)
    {
        if (parsed.GetValue(Connection.Json))
            Terminal.Json(made);
        else
            Terminal.Line(made.Token);
        return ExitCode.Done;
    }
}
