using System.CommandLine.Parsing;
using Furlough.Cli;
using Furlough.Cli.Commands;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Commands are defined once: help, manual pages, completion and the reference page come from that.</summary>
public sealed class ReferenceTests
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

    [Fact]
    public void The_reference_page_is_that_of_this_version() =>
        File.ReadAllText(Path.Combine(Field.Repository, "docs", "commands.md"))
            .ShouldBe(Reference.Of(CommandLine.Commands), "run `make docs`");
}
