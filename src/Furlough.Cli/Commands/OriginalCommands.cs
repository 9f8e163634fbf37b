using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough original`.</summary>
internal static class OriginalCommands
{
    private static readonly Option<string?> Machine = new("--machine") { Description = "Only those of a machine" },
        Room = new("--room") { Description = "Only those of a room" };
    private static readonly Option<long?> Run = new("--run") { Description = "Only those of a run" };

    internal static Command Make()
    {
        var list = new Command("list", "List the originals that are kept") { Machine, Room, Run };
        list.Calls(
            async (client, parsed, stop) =>
            {
                IReadOnlyList<OriginalView> originals =
                [
                    .. (await client.OriginalsAsync(stop)).Where(o => IsChosen(o, parsed)),
                ];
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(originals);
                else
                    Print(originals);
                return ExitCode.Done;
            }
        );
        return new Command("original", "List and discard originals: the data kept at former places")
        {
            list,
            Discard(),
        };
    }

    private static Command Discard()
    {
        var ids = new Argument<string[]>("original")
        {
            Description = "Identifiers of originals, such as o371",
            Arity = ArgumentArity.ZeroOrMore,
        };
        var due = new Option<bool>("--due")
        {
            Description = "Of those chosen, all whose keeping time is over and that nothing blocks",
        };
        var early = new Option<bool>("--before-its-time")
        {
            Description = "Discard although the keeping time is not over; needs --reason",
        };
        var acknowledge = new Option<string[]>("--acknowledge")
        {
            Description =
                "Code of something that speaks against it and is accepted, such as errand-declined, "
                + "written-at-former-place or shrunk; needs --reason",
        };
        var reason = new Option<string?>("--reason") { Description = "Reason, kept in the history" };
        var dry = new Option<bool>("--dry-run") { Description = "Show what would be discarded, and discard nothing" };
        var yes = new Option<bool>("--yes") { Description = "Do not ask for confirmation" };
        var command = new Command("discard", "Delete originals for good, after everything is checked again")
        {
            ids,
            Machine,
            Room,
            Run,
            due,
            early,
            acknowledge,
            reason,
            dry,
            yes,
            RelocationCommands.Follow,
        };
        command.Calls(
            async (client, parsed, stop) =>
            {
                var all = await client.OriginalsAsync(stop);
                var named = parsed.GetValue(ids)!;
                Require(named, all, parsed.GetValue(due));
                List<OriginalView> chosen =
                [
                    .. all.Where(o =>
                        (named.Length == 0 ? IsChosen(o, parsed) : named.Contains(o.Id))
                        && (!parsed.GetValue(due) || (o.Eligible && o.Blockers.Count == 0))
                    ),
                ];
                var json = parsed.GetValue(Connection.Json);
                if (!json || parsed.GetValue(dry))
                    Summarise(chosen, json);
                if (chosen.Count == 0 || parsed.GetValue(dry))
                    return ExitCode.Done;
                if (!parsed.GetValue(yes) && !Console.IsInputRedirected && !IsConfirmed(chosen))
                    return ExitCode.Refused;
                var request = new DiscardRequest(
                    parsed.GetValue(early),
                    parsed.GetValue(acknowledge) ?? [],
                    parsed.GetValue(reason)
                );
                return await DiscardAsync(
                    client,
                    chosen,
                    request,
                    parsed.GetValue(RelocationCommands.Follow),
                    json,
                    stop
                );
            }
        );
        return command;
    }

    private static void Require(string[] named, IReadOnlyList<OriginalView> all, bool due)
    {
        if (named.Length == 0 && !due)
            throw new ServiceException(
                400,
                "originals-missing",
                "No original is named.",
                "Name some, such as o371 (see `furlough original list`), or give --due.",
                null,
                null
            );
        if (named.FirstOrDefault(n => all.All(o => o.Id != n)) is { } unknown)
            throw new ServiceException(
                404,
                "original-malformed",
                $"`{unknown}` is not the identifier of an original that is kept.",
                "Originals have identifiers of their own, such as o371: see `furlough original list`.",
                null,
                null
            );
    }

    private static async Task<int> DiscardAsync(
        FurloughClient client,
        List<OriginalView> chosen,
        DiscardRequest request,
        bool follow,
        bool json,
        CancellationToken stop
    )
    {
        List<RelocationView> views = [];
        var refusal = ExitCode.Done;
        foreach (var original in chosen)
        {
            try
            {
                var view = await client.DiscardAsync(original.Id, request, stop);
                views.Add(follow ? await RelocationCommands.FollowAsync(client, view, false, stop) : view);
            }
            catch (ServiceException refused)
            {
                refusal = Terminal.Fail(refused);
            }
        }
        if (json)
            Terminal.Json(views);
        else
            foreach (var view in views)
                RelocationCommands.Say(view, "discard");
        if (views.Count == 0)
            return refusal;
        var failed = views.Count(v => v.Failure is not null && v.State.IsAtRest());
        return failed == views.Count ? ExitCode.Failed
            : failed > 0 || refusal != ExitCode.Done ? ExitCode.DoneInPart
            : ExitCode.Done;
    }

    private static bool IsChosen(OriginalView original, ParseResult parsed) =>
        (parsed.GetValue(Machine) is not { } machine || original.Machine == machine)
        && (parsed.GetValue(Room) is not { } room || original.Room == room)
        && (parsed.GetValue(Run) is not { } run || original.Run == run);

    private static void Print(IReadOnlyList<OriginalView> originals) =>
        Terminal.Table(
            [
                "original",
                ">relocation",
                "machine",
                "holding",
                "former place",
                ">files",
                ">data",
                "set aside",
                "kept until",
                "state",
            ],
            originals.Select(o =>
                (string[])
                    [
                        o.Id,
                        $"{o.Relocation}",
                        o.Machine,
                        $"{HoldingName.InWords(o.Holding, o.Account)}",
                        o.Place,
                        $"{o.Files:N0}",
                        Words.Size(o.DataBytes),
                        $"{o.SetAside:yyyy-MM-dd}",
                        $"{o.KeptUntil:yyyy-MM-dd}",
                        o.Blockers.Count > 0 ? string.Join(", ", o.Blockers.Select(b => b.Code))
                        : o.Eligible ? "can be discarded"
                        : "kept",
                    ]
            )
        );

    private static void Summarise(List<OriginalView> chosen, bool json)
    {
        if (json)
            Terminal.Json(chosen);
        else
        {
            Print(chosen);
            Terminal.Line(
                $"{Words.Count(chosen.Count, "original")}, {Words.Size(chosen.Sum(o => o.DataBytes))} on "
                    + $"{Words.Count(chosen.Select(o => o.Machine).Distinct().Count(), "machine")}."
            );
        }
    }

    private static bool IsConfirmed(List<OriginalView> chosen)
    {
        Terminal.Error.Write(
            $"This deletes {Words.Count(chosen.Count, "original")} for good; it cannot be undone. Type the number of originals to go on: "
        );
        return Console.ReadLine()?.Trim() == $"{chosen.Count}";
    }
}
