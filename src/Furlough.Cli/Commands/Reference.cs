using System.CommandLine;
using System.CommandLine.Help;
using System.Text;
using Furlough.Agent;

namespace Furlough.Cli.Commands;

/// <summary>Every command on one page of Markdown, made from the commands themselves.</summary>
internal static class Reference
{
    internal static string Of(RootCommand root)
    {
        var page = new StringBuilder(
            """
            # Commands

            Made by `furlough manual reference`; `furlough NOUN VERB --help` prints the same. Exit codes: 0 done, 1 failed,
            2 wrong use, 3 done in part, 4 waiting for a person, 5 refused.

            ## Options of every command

            | option | |
            |---|---|

            """
        );
        foreach (var option in root.Options.Where(o => !o.Hidden && o is not HelpOption and not VersionOption))
            page.Append($"| {Code(Spelled(option))} | {Cell(option.Description)} |\n");
        foreach (var noun in root.Subcommands.Where(c => !c.Hidden))
        {
            page.Append($"\n## furlough {noun.Name}\n\n{noun.Description}.\n");
            foreach (var verb in noun.Subcommands.Where(c => !c.Hidden))
                Add(page, $"furlough {noun.Name}", verb, root);
        }
        var agent = AgentCommandLine.Make();
        page.Append($"\n## furlough-agent\n\n{agent.Description}\n\n| | |\n|---|---|\n");
        foreach (var option in agent.Options.Where(o => o is not HelpOption and not VersionOption))
            page.Append($"| {Code(Spelled(option))} | {Cell(option.Description)} |\n");
        foreach (var command in agent.Subcommands.Where(c => !c.Hidden))
            Add(page, "furlough-agent", command, agent);
        return page.ToString();
    }

    private static void Add(StringBuilder page, string before, Command verb, RootCommand root)
    {
        page.Append($"\n### {before} {verb.Name}\n\n{verb.Description!.TrimEnd('.')}.\n");
        if (Examples.Of(verb) is { } example)
            page.Append($"\n    {example}\n");
        var options = verb.Options.Where(o => !o.Hidden && o is not HelpOption && !root.Options.Contains(o)).ToList();
        if (verb.Arguments.Count + options.Count == 0)
            return;
        page.Append("\n| | |\n|---|---|\n");
        foreach (var argument in verb.Arguments)
            page.Append(
                "| "
                    + $"{Code(argument.Name.ToUpperInvariant() + (argument.Arity.MaximumNumberOfValues > 1 ? " ..." : ""))} "
                    + $"| {Cell(argument.Description)} |\n"
            );
        foreach (var option in options)
            page.Append(
                $"| {Code(Spelled(option))} | {Cell(option.Description)}{(option.Required ? " (must be given)" : "")} |\n"
            );
    }

    private static string Spelled(Option option) =>
        string.Join(", ", option.Aliases.Prepend(option.Name))
        + (option.ValueType == typeof(bool) ? "" : $" {option.HelpName?.ToUpperInvariant() ?? "VALUE"}");

    private static string Code(string text) => $"`{text}`";

    private static string Cell(string? text) => (text ?? "").Replace("|", "\\|", StringComparison.Ordinal);
}
