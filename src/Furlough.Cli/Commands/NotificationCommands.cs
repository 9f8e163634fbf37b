using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough notification`.</summary>
internal static class NotificationCommands
{
    private static readonly Argument<string> NameGiven = new("name") { Description = "Who is notified" };

    internal static Command Make() =>
        new Command("notification", "Manage who is notified of events, by mail or web call")
        {
            Add(),
            ListCommand(),
            Remove(),
        };

    private static Command Add()
    {
        var mail = new Option<string?>("--mail") { Description = "Address that mail goes to" };
        var call = new Option<string?>("--call")
        {
            Description = "Web address that is called, with a signed event in JSON (CloudEvents 1.0)",
        };
        var on = new Option<string[]>("--on")
        {
            Description = $"Only these events: {string.Join(", ", Words.All<NotificationEvent>())}",
            AllowMultipleArgumentsPerToken = true,
        };
        on.AcceptOnlyFromAmong([.. Words.All<NotificationEvent>()]);
        var add = new Command("add", "Notify someone of events from now on") { NameGiven, mail, call, on };
        add.Calls(
            async (client, parsed, stop) =>
            {
                var added = await client.AddReceiverAsync(
                    new ReceiverRequest(
                        parsed.GetValue(NameGiven)!,
                        parsed.GetValue(mail),
                        parsed.GetValue(call),
                        [.. (parsed.GetValue(on) ?? []).Select(e => Words.Find<NotificationEvent>(e)!.Value)]
                    ),
                    stop
                );
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(added);
                else
                {
                    Terminal.Line($"{added.Name} is notified of {Events(added)} from now on.");
                    if (added.Secret is { } secret)
                        Terminal.Line(
                            "Calls are signed (webhook-signature: v1, HMAC-SHA256 of "
                                + $"webhook-id.webhook-timestamp.body) with this secret, which is shown once:\n{secret}"
                        );
                }
                return ExitCode.Done;
            }
        );
        return add;
    }

    private static Command ListCommand()
    {
        var list = new Command("list", "List who is notified of which events, and what could not be delivered");
        list.Calls(
            async (client, json, stop) =>
            {
                var receivers = await client.ReceiversAsync(stop);
                if (json)
                    Terminal.Json(receivers);
                else
                {
                    Terminal.Table(
                        ["name", "by", "of", ">sent", ">waiting", ">troubles", "added", "by whom"],
                        receivers.Select(r =>
                            (string[])
                                [
                                    r.Name,
                                    r.Mail ?? r.Call ?? "",
                                    Events(r),
                                    $"{r.Sent}",
                                    $"{r.Waiting}",
                                    $"{r.Troubles.Count}",
                                    $"{r.AddedAt:u}",
                                    r.AddedBy,
                                ]
                        )
                    );
                    foreach (var r in receivers)
                    foreach (var t in r.Troubles)
                        Terminal.Line(
                            $"\n{r.Name}, {t.State.Word()} after {Words.Count(t.Attempts, "attempt")}: "
                                + $"{t.Subject}\n  {t.Why}{(t.Next is { } next ? $"; tried again at {next:u}" : "")}"
                        );
                }
                return ExitCode.Done;
            }
        );
        return list;
    }

    private static Command Remove()
    {
        var remove = new Command("remove", "Stop notifying someone; what waits to be sent to them is dropped")
        {
            NameGiven,
        };
        remove.Calls(
            async (client, parsed, stop) =>
            {
                await client.RemoveReceiverAsync(parsed.GetValue(NameGiven)!, stop);
                Terminal.Line($"{parsed.GetValue(NameGiven)} is not notified any more.");
                return ExitCode.Done;
            }
        );
        return remove;
    }

    private static string Events(ReceiverView receiver) =>
        receiver.On.Count == 0 ? "everything" : string.Join(", ", receiver.On.Select(e => e.Word()));
}
