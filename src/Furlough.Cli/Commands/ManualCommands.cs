using System.CommandLine;
using System.CommandLine.Help;
using System.Text;
using Furlough.Agent;
using Furlough.Cli.Output;

namespace Furlough.Cli.Commands;

/// <summary>`furlough manual`: pages for man, made from the commands themselves.</summary>
internal static class ManualCommands
{
    internal static Command Make(RootCommand root)
    {
        var folder = new Argument<string>("folder")
        {
            Description = "Folder for the pages, such as ~/.local/share/man/man1",
        };
        var write = new Command("write", "Write a manual page for every noun") { folder };
        write.SetAction(parsed => Write(parsed.GetValue(folder)!, root));
        var reference = new Command("reference", "Print every command, argument and option as one page of Markdown");
        reference.SetAction(_ => Terminal.Output.Write(Reference.Of(root)));
        return new Command("manual", "Write manual pages and a reference of every command") { write, reference };
    }

    private static int Write(string folder, RootCommand root)
    {
        try
        {
            var to = Directory.CreateDirectory(folder).FullName;
            var nouns = root.Subcommands.Where(c => !c.Hidden).ToList();
            File.WriteAllText(Path.Combine(to, "furlough.1"), Overview(root, nouns));
            foreach (var noun in nouns)
                File.WriteAllText(Path.Combine(to, $"furlough-{noun.Name}.1"), Page(noun, root));
            File.WriteAllText(Path.Combine(to, "furlough-agent.8"), AgentPage());
            Terminal.Line($"{nouns.Count + 2} pages are in {to}. Next: man furlough");
            return ExitCode.Done;
        }
        catch (Exception refused) when (refused is IOException or UnauthorizedAccessException)
        {
            Terminal.Error.WriteLine($"furlough: the pages cannot be written: {refused.Message}");
            return ExitCode.Failed;
        }
    }

    private static string Overview(RootCommand root, List<Command> nouns)
    {
        var page = Begin("furlough", root.Description!);
        page.Append(".SH SYNOPSIS\n.B furlough\n.I NOUN VERB\n[options]\n.SH NOUNS\n");
        foreach (var noun in nouns)
            page.Append(
                $".TP\n.B {Text(noun.Name)}\n{Text(noun.Description!)}: "
                    + $"{Text(string.Join(", ", noun.Subcommands.Select(v => v.Name)))}. See\n.BR furlough-{noun.Name} (1).\n"
            );
        page.Append(".SH OPTIONS OF EVERY COMMAND\n");
        foreach (var option in root.Options.Where(o => o is not HelpOption))
            Say(page, option);
        page.Append(
            """
            .SH EXIT STATUS
            0 done, 1 failed, 2 wrong use, 3 done in part, 4 waiting for a person, 5 refused.
            .SH FILES
            .TP
            .I furlough/connection
            in the user's configuration folder: lines service=ADDRESS and token=TOKEN.
            .SH ENVIRONMENT
            .B FURLOUGH_SERVICE
            and
            .BR FURLOUGH_TOKEN .

            """
        );
        return page.ToString();
    }

    private static string AgentPage()
    {
        var agent = AgentCommandLine.Make();
        var page = Begin("furlough-agent", agent.Description!, section: 8);
        page.Append(
            ".SH SYNOPSIS\n.B furlough\\-agent\n[options]\n.br\n.B furlough\\-agent\n.I COMMAND\n[options]\n.SH OPTIONS\n"
        );
        foreach (var option in agent.Options.Where(o => o is not HelpOption))
            Say(page, option);
        page.Append(".SH COMMANDS\n");
        foreach (var command in agent.Subcommands.Where(c => !c.Hidden))
            Say(page, command, agent);
        return page.Append(
                """
                .SH EXIT STATUS
                0 done, 1 failed, 2 wrong use, 5 refused.
                .SH FILES
                .TP
                .I /etc/furlough/agent.conf
                options of the agent that a package has installed, one in a line: NAME = VALUE.
                .SH SEE ALSO
                .BR furlough (1)

                """
            )
            .ToString();
    }

    private static string Page(Command noun, RootCommand root)
    {
        var page = Begin($"furlough-{noun.Name}", noun.Description!);
        page.Append(".SH SYNOPSIS\n");
        foreach (var verb in noun.Subcommands)
        {
            page.Append($".B furlough {Text(noun.Name)} {Text(verb.Name)}\n");
            foreach (var argument in verb.Arguments)
                page.Append($".I {Text(argument.Name.ToUpperInvariant())}")
                    .Append(argument.Arity.MaximumNumberOfValues > 1 ? " ...\n" : "\n");
            page.Append(verb.Options.Any(o => o is not HelpOption) ? "[options]\n.br\n" : ".br\n");
        }
        page.Append(".SH VERBS\n");
        foreach (var verb in noun.Subcommands)
            Say(page, verb, root);
        return page.Append(".SH SEE ALSO\n.BR furlough (1)\n").ToString();
    }

    private static void Say(StringBuilder page, Command verb, RootCommand root)
    {
        page.Append($".SS {Text(verb.Name)}\n{Text(verb.Description!.TrimEnd('.'))}.\n");
        foreach (var argument in verb.Arguments)
            page.Append($".TP\n.I {Text(argument.Name.ToUpperInvariant())}\n{Text(argument.Description ?? "")}\n");
        foreach (var option in verb.Options.Where(o => o is not HelpOption && !root.Options.Contains(o)))
            Say(page, option);
        if (Examples.Of(verb) is { } example)
            page.Append($".PP\nExample:\n.EX\n{Text(example)}\n.EE\n");
    }

    private static StringBuilder Begin(string name, string what, int section = 1) =>
        new(
            $".TH {name.ToUpperInvariant()} {section} \"\" \"Furlough\"\n.SH NAME\n{Text(name)} \\- "
                + $"{Text(char.ToLowerInvariant(what[0]) + what[1..].TrimEnd('.'))}\n"
        );

    private static void Say(StringBuilder page, Option option)
    {
        var value = option.ValueType == typeof(bool) ? "" : $" {Text(option.HelpName?.ToUpperInvariant() ?? "VALUE")}";
        var required = option.Required ? " (must be given)" : "";
        page.Append($".TP\n.B {Text(string.Join(", ", option.Aliases.Prepend(option.Name)))}{value}\n")
            .Append($"{Text(option.Description ?? "")}{required}\n");
    }

    /// <summary>Text that roff takes for nothing else.</summary>
    private static string Text(string text) =>
        text.Replace("\\", "\\e", StringComparison.Ordinal).Replace("-", "\\-", StringComparison.Ordinal) is var safe
        && safe is ['.' or '\'', ..]
            ? "\\&" + safe
            : safe;
}
