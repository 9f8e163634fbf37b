using System.CommandLine;
using Furlough.Cli.Output;
using Furlough.Model;
using Furlough.Planning.Kinds;
using Furlough.Protocol.Api;

namespace Furlough.Cli.Commands;

/// <summary>`furlough kind`.</summary>
internal static class KindCommands
{
    private static readonly Argument<string> File = new("card")
    {
        Description = "File of the kind card; - for standard input",
    };
    private static readonly Argument<string> Name = new("name") { Description = "Name of the kind" };

    internal static Command Make() =>
        new Command("kind", "Manage further kinds of holdings, described by kind cards")
        {
            SampleCommand(),
            CheckCommand(),
            AddCommand(),
            ListCommand(),
            ShowCommand(),
            RemoveCommand(),
        };

    private static Command SampleCommand()
    {
        var sample = new Command("sample", "Print a commented kind card to start from");
        sample.SetAction(_ => Terminal.Output.Write(KindCardReader.Sample));
        return sample;
    }

    private static Command CheckCommand()
    {
        var tryOn = new Option<string>("--on")
        {
            Description =
                "Have this machine look for what the card describes, and say what it finds; the card is not kept",
        };
        var check = new Command("check", "Check a kind card and try it on a machine") { File, tryOn };
        check.Calls(
            async (client, parsed, stop) =>
            {
                var text = InputText.Read(parsed.GetValue(File)!, "kind card", "furlough kind sample");
                if (parsed.GetValue(tryOn) is { } machine)
                {
                    var trial = await client.TryKindAsync(text, machine, stop);
                    if (parsed.GetValue(Connection.Json))
                        Terminal.Json(trial);
                    else
                        Say(trial);
                    return trial.Found.Count > 0 || trial.CommonFolder is not null ? ExitCode.Done : ExitCode.Failed;
                }
                var card = await client.CheckKindAsync(text, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(card);
                else
                    Say(card);
                return ExitCode.Done;
            }
        );
        return check;
    }

    private static Command AddCommand()
    {
        var on = new Option<string[]>("--on")
        {
            Description = "Only these machines look for it, by names or patterns, so that a card can be tried",
            AllowMultipleArgumentsPerToken = true,
        };
        var add = new Command("add", "Add a kind card: machines look for this kind of holding from now on")
        {
            File,
            on,
        };
        add.Calls(
            async (client, parsed, stop) =>
            {
                var added = await client.AddKindAsync(
                    InputText.Read(parsed.GetValue(File)!, "kind card", "furlough kind sample"),
                    parsed.GetValue(on) ?? [],
                    stop
                );
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(added);
                else
                    Terminal.Line(
                        $"{added.Kind.Name} is looked for from now "
                            + $"on{(added.On.Count == 0 ? "" : $" on {string.Join(", ", added.On)}")}. Machines that "
                            + $"answer survey themselves at once; {WhereItShows(added.Kind)}."
                    );
                return ExitCode.Done;
            }
        );
        return add;
    }

    private static Command ListCommand()
    {
        var list = new Command("list", "List kinds that kind cards describe");
        list.Calls(
            async (client, json, stop) =>
            {
                var kinds = await client.KindsAsync(stop);
                if (json)
                    Terminal.Json(kinds);
                else
                    Terminal.Table(
                        ["kind", "holds", "title", ">settings", "on", "added", "by"],
                        kinds.Select(k =>
                            (string[])
                                [
                                    k.Kind.Name,
                                    k.Kind.IsCommonFolder ? KindCardReader.CommonFolder : k.Kind.Holds.Word(),
                                    k.Kind.Title,
                                    $"{k.Kind.Pointers.Count}",
                                    k.On.Count == 0 ? "all machines" : string.Join(" ", k.On),
                                    $"{k.AddedAt:u}",
                                    k.AddedBy,
                                ]
                        )
                    );
                return ExitCode.Done;
            }
        );
        return list;
    }

    private static Command ShowCommand()
    {
        var show = new Command("show", "Show a kind card") { Name };
        show.Calls(
            async (client, parsed, stop) =>
            {
                var kind = await client.KindAsync(parsed.GetValue(Name)!, stop);
                if (parsed.GetValue(Connection.Json))
                    Terminal.Json(kind);
                else
                {
                    Say(kind.Kind);
                    var origin = kind.AddedAt is { } at
                        ? $"Added by {kind.AddedBy} at {at:u}"
                        : "It comes with the product";
                    Terminal.Line($"\n{origin}:\n\n{kind.Card.TrimEnd()}");
                }
                return ExitCode.Done;
            }
        );
        return show;
    }

    private static Command RemoveCommand()
    {
        var remove = new Command(
            "remove",
            "Remove a kind card from the service and its machines; what was relocated stays where it is"
        )
        {
            Name,
        };
        remove.Calls(
            async (client, parsed, stop) =>
            {
                await client.RemoveKindAsync(parsed.GetValue(Name)!, stop);
                Terminal.Line($"{parsed.GetValue(Name)} is looked for no longer.");
                return ExitCode.Done;
            }
        );
        return remove;
    }

    private static void Say(KindTrial trial)
    {
        Say(trial.Kind);
        Terminal.Line();
        if (trial.CommonFolder is { } common)
        {
            var left = common.Left.Select(l =>
                $"{Words.Count(l.Files, "file")} of {l.Account}, {Words.Size(l.DataBytes)}"
            );
            Terminal.Line(
                $"{trial.Machine} has it at {common.PathShown}: "
                    + $"{(common.Left.Count == 0 ? "it is empty" : string.Join("; ", left))}."
            );
        }
        else if (trial.Found.Count == 0)
        {
            Terminal.Line(
                $"{trial.Machine} found nothing of "
                    + $"it{(trial.Notes.Count == 0 ? ": no program, settings or folder that the card names is there." : ":")}"
            );
        }
        else
        {
            Terminal.Line($"{trial.Machine} found:");
            Print(trial.Found);
        }
        foreach (var note in trial.Notes)
            Terminal.Line($"note: {note}");
    }

    private static void Print(IReadOnlyList<HoldingFacts> found) =>
        Terminal.Table(
            ["account", "lives at", ">files", ">data", "setting", "reads"],
            found.SelectMany(h =>
                h.Pointers.Select(
                    (p, i) =>
                        (string[])
                            [
                                i > 0 ? ""
                                : h.Name.IsShared ? "(machine)"
                                : h.Name.Account,
                                i > 0
                                    ? ""
                                    : h.PathShown
                                        + (
                                            h.Present ? ""
                                            : h.IsMadeByFirstStart ? "  (not made yet)"
                                            : "  (missing)"
                                        ),
                                i > 0 ? "" : $"{h.Files:N0}",
                                i > 0 ? "" : Words.Size(h.DataBytes),
                                $"{p.Address}",
                                p.Value.Text ?? "(nothing)",
                            ]
                )
            )
        );

    private static void Say(KindCard card)
    {
        Terminal.Line(
            $"{card.Name}: {card.Title}{(card.Systems.Count == 0 ? "" : $", on {string.Join(" or ", card.Systems)}")}"
        );
        if (card.IsCommonFolder)
        {
            Terminal.Line(
                $"  a folder that people share and that should be empty, at {card.Usual}; audits say what lies in it, and whose"
            );
            return;
        }
        var what =
            card.Holds == HoldingKind.Library
                ? "a library, whose data moves"
                : "an install path, of which only the settings change";
        var whose = card.Shared ? "one that all accounts of a machine share" : "one for each account";
        Terminal.Line($"  {what}, {whose}");
        if (card.FoundBy is { } there)
            Terminal.Line($"  looked for where {there} is");
        if (card.Usual is { } usual)
            Terminal.Line($"  {usual} while the settings say nothing");
        if (card.Program is { Closed.Count: > 0 } program)
            Terminal.Line($"  must be closed meanwhile: {string.Join(", ", program.Closed)}");
        if (card.Program is { Says.Count: > 0 } asked)
            Terminal.Line($"  asked afterwards, where the agent allows commands: {string.Join(' ', asked.Says)}");
        if (card.Program is { FirstStart.Count: > 0 } made)
            Terminal.Line(
                $"  made, where an account has none yet and the agent allows commands: {string.Join(' ', made.FirstStart)}"
            );
        if (card.Program is { Launcher: { } launcher })
            Terminal.Line($"  taken away from the account while it lives elsewhere: the entry {launcher}");
        if (card.Program is { Opens.Count: > 0 } opened)
            Terminal.Line(
                $"  a note is left beside it, and, where the agent allows commands, a shortcut: {string.Join(' ', opened.Opens)}"
            );
        foreach (var p in card.Pointers)
            Terminal.Line(
                $"  {Said(p)}{(p.Adds is { } adds ? $", the folder around it: the program adds {adds}" : "")}"
            );
    }

    private static string Said(CardPointer pointer) =>
        pointer switch
        {
            { Commands: { } commands } =>
                $"what {string.Join(' ', commands.Reads)} prints, where the agent allows commands",
            { InPlace: true } => $"stands at {pointer.File}, or a link there",
            { Syntax: CardPointer.Link } => $"the link {pointer.File}",
            _ => $"{pointer.Key} in {pointer.File} ({pointer.Syntax})",
        };

    private static string WhereItShows(KindCard card)
    {
        if (card.IsCommonFolder)
            return "audits say what lies in it";
        return $"briefs name it under `{(card.Holds == HoldingKind.Library ? "libraries" : "install-paths")}`";
    }
}
