using System.CommandLine.Parsing;
using System.Text.RegularExpressions;
using Furlough.Cli;
using Furlough.Cli.Commands;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Commands are defined once: help, manual pages, completion and the reference page come from that.</summary>
public sealed partial class ReferenceTests
{
    private static IEnumerable<(string Path, System.CommandLine.Command Verb)> Verbs =>
        CommandLine.Commands.Subcommands.SelectMany(n => n.Subcommands.Select(v => ($"{n.Name} {v.Name}", v)));

    [Fact]
    public void Every_command_has_an_example_that_the_command_line_reads_as_that_command()
    {
        Verbs.Count().ShouldBeGreaterThan(60);
        Examples.Commands.ShouldBe(Verbs.Select(v => v.Path), ignoreOrder: true);
        foreach (var (path, verb) in Verbs)
        {
            var example = Examples.Of(verb).ShouldNotBeNull(path);
            var read = CommandLine.Commands.Parse([.. CommandLineParser.SplitCommandLine(example).Skip(1)]);
            read.Errors.Select(e => e.Message).ShouldBeEmpty(example);
            read.CommandResult.Command.ShouldBe(verb, example);
        }
    }

    [Fact]
    public void Every_command_argument_and_option_says_what_it_is_for()
    {
        foreach (var (path, verb) in Verbs)
        {
            verb.Description.ShouldNotBeNullOrWhiteSpace(path);
            foreach (var symbol in verb.Arguments.Concat<System.CommandLine.Symbol>(verb.Options))
                symbol.Description.ShouldNotBeNullOrWhiteSpace($"{path} {symbol.Name}");
        }
    }

    /// <summary>Wherever the documentation names a command, it names one that there is, with options that it has.</summary>
    [Fact]
    public void Every_command_that_the_documentation_names_can_be_read()
    {
        var pages = Directory
            .GetFiles(Path.Combine(Field.Repository, "docs"), "*.md")
            // What is no more is named in the one, the other is made from the commands.
            .Where(p => Path.GetFileName(p) is not ("changes.md" or "commands.md"))
            .Append(Path.Combine(Field.Repository, "README.md"));
        ReadAll(pages, Named()).ShouldBeGreaterThan(60);
    }

    /// <summary>The same of every message: nobody is told to type what does not exist.</summary>
    [Fact]
    public void Every_command_that_a_message_names_can_be_read()
    {
        var sources = Directory
            .EnumerateFiles(Path.Combine(Field.Repository, "src"), "*.*", SearchOption.AllDirectories)
            .Where(f => Path.GetExtension(f) is ".cs" or ".ts" or ".tsx" && !Away().IsMatch(f));
        ReadAll(sources, Quoted()).ShouldBeGreaterThan(100);
    }

    /// <returns>How many there were.</returns>
    private static int ReadAll(IEnumerable<string> files, Regex pattern)
    {
        var named = 0;
        List<string> wrong = [];
        foreach (var file in files)
        foreach (Match found in pattern.Matches(File.ReadAllText(file)))
        {
            var line = Filled(found.Groups[1].Value.Split(" #")[0].Split(" > ")[0].TrimEnd('\\', ' '));
            named++;
            var read = CommandLine.Commands.Parse([.. CommandLineParser.SplitCommandLine(line).Skip(1)]);
            // A noun alone is a way to speak of its verbs, and noun and verb alone of what they do.
            var isName = line.Split(' ').Length <= 3 && read.UnmatchedTokens.Count == 0;
            if (!isName && read.Errors.Count > 0)
                wrong.Add($"{Path.GetFileName(file)}: {line}: {read.Errors[0].Message}");
        }
        wrong.ShouldBeEmpty();
        return named;
    }

    private static string Filled(string line) =>
        Placeholders()
            .Replace(line, "1")
            .Replace("--missing-from 1Z", "--missing-from 2026-11-27T18:22Z", StringComparison.Ordinal)
            .Replace("LEVEL", "reader", StringComparison.Ordinal);

    [GeneratedRegex("(?m)(?:`|^    (?:\\$ )?)(furlough [^`\n]+)")]
    private static partial Regex Named();

    /// <summary>In a string or a comment of a program.</summary>
    [GeneratedRegex("`(furlough [a-z][^`\n]*)`")]
    private static partial Regex Quoted();

    [GeneratedRegex(@"[/\\](obj|bin|dist|node_modules|Migrations)[/\\]")]
    private static partial Regex Away();

    /// <summary>N for a number, and what a program fills in.</summary>
    [GeneratedRegex(@"\b(N|NUMBER)\b|\$?\{[^{}]*(\{[^{}]*\}[^{}]*)*\}")]
    private static partial Regex Placeholders();

    [Fact]
    public void The_reference_page_is_that_of_this_version() =>
        File.ReadAllText(Path.Combine(Field.Repository, "docs", "commands.md"))
            .ShouldBe(Reference.Of(CommandLine.Commands), "run `make docs`");
}
