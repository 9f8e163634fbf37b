using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough access`.</summary>
internal static class AccessCommands
{
    private static readonly Argument<string> NameGiven = new("name")
    {
        Description = "Name of the person or program that uses the token",
    };

    internal static Command Make() =>
        new Command("access", "Manage tokens: who may do what")
        {
            Add(),
            ListCommand(),
            ReplaceCommand(),
            RevokeCommand(),
            SignInCommand(),
            SignOutCommand(),
        };

    private static Command SignInCommand()
    {
        var signIn = new Command(
            "sign-in",
            "Sign in with the office's account: shows a code that is entered in a browser, and keeps what it gets for later commands"
        );
        signIn.Calls(
            async (client, json, stop) =>
            {
                var code = await client.BeginSignInAsync(stop);
                await Terminal.Error.WriteLineAsync(
                    $"Open {code.Address} in a browser, on any device, and enter the code {code.Code}. Waiting…"
                );
                var made = await AnswerAsync(client, code, stop);
                var file = Connection.KeepToken(made.Token);
                if (json)
                    Terminal.Json(new Identity(made.Name, made.Level));
                else
                    Terminal.Line(
                        $"You are {made.Name} ({made.Level.Word()}), for 12 hours at most. Commands use what is kept in {file}; "
                            + "--token and FURLOUGH_TOKEN come before it."
                    );
                return ExitCode.Done;
            }
        );
        return signIn;
    }

    private static async Task<TokenMade> AnswerAsync(FurloughClient client, DeviceCode code, CancellationToken stop)
    {
        while (true)
        {
            await Task.Delay(TimeSpan.FromSeconds(code.Interval), stop);
            try
            {
                return await client.AnswerSignInAsync(new DeviceAnswer(code.Handle), stop);
            }
            catch (ServiceException waiting) when (waiting.Code == "sign-in-waiting")
            {
                // The provider says when the code is not valid any more.
            }
        }
    }

    private static Command SignOutCommand()
    {
        var signOut = new Command(
            "sign-out",
            "End one's sign-in with the office's account, and forget what was kept of it"
        );
        signOut.Calls(
            async (client, json, stop) =>
            {
                await client.SignOutAsync(stop);
                Connection.KeepToken(null);
                if (!json)
                    Terminal.Line("Signed out. What was kept for later commands is forgotten.");
                return ExitCode.Done;
            }
        );
        return signOut;
    }

    private static Command Add()
    {
        var level = new Option<string>("--level")
        {
            Description = string.Join(", ", Words.All<AccessLevel>()),
            Required = true,
        };
        level.AcceptOnlyFromAmong([.. Words.All<AccessLevel>()]);
        var days = new Option<int?>("--days") { Description = "Days until it expires; left out, it does not expire" };
        var add = new Command("add", "Create a token with an access level; it is shown once")
        {
            NameGiven,
            level,
            days,
        };
        add.Calls(
            async (client, parsed, stop) =>
                Show(
                    parsed,
                    await client.AddTokenAsync(
                        new TokenRequest(
                            parsed.GetValue(NameGiven)!,
                            Words.Find<AccessLevel>(parsed.GetValue(level)!)!.Value,
                            parsed.GetValue(days)
                        ),
                        stop
                    )
                )
        );
        return add;
    }

    private static Command ListCommand()
    {
        var list = new Command("list", "List tokens: whose, which access level, until when");
        list.Calls(
            async (client, json, stop) =>
            {
                var tokens = await client.TokensAsync(stop);
                if (json)
                    Terminal.Json(tokens);
                else
                    Terminal.Table(
                        ["name", "level", "made", "by", "valid until"],
                        tokens.Select(t =>
                            (string[])
                                [
                                    t.Name,
                                    t.Level.Word(),
                                    t.MadeAt is { } made ? $"{made:u}" : "at the first start",
                                    t.MadeBy ?? "",
                                    t.RevokedAt is { } revoked ? $"revoked {revoked:u}"
                                    : t.Expires is { } expires ? $"{expires:u}"
                                    : "no expiry",
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return list;
    }

    private static Command ReplaceCommand()
    {
        var replace = new Command(
            "replace",
            "Replace a token's secret; the old one and its console sessions end. The new one is shown once"
        )
        {
            NameGiven,
        };
        replace.Calls(
            async (client, parsed, stop) =>
                Show(parsed, await client.ReplaceTokenAsync(new TokenReplacement(parsed.GetValue(NameGiven)!), stop))
        );
        return replace;
    }

    private static Command RevokeCommand()
    {
        var revoke = new Command("revoke", "Revoke a token and end the console sessions that were started with it")
        {
            NameGiven,
        };
        revoke.Calls(
            async (client, parsed, stop) =>
            {
                var token = await client.RevokeTokenAsync(parsed.GetValue(NameGiven)!, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(token);
                else
                    Terminal.Line($"The token of {token.Name} is revoked.");
                return ExitCode.Done;
            }
        );
        return revoke;
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
