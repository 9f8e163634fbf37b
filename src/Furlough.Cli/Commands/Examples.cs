using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Invocation;

namespace Furlough.Cli.Commands;

/// <summary>
/// An example of every command. Help, manual pages and the reference page show it, and a test reads each as the command
/// line would.
/// </summary>
internal static class Examples
{
    private static readonly Dictionary<string, string> Known = new(StringComparer.Ordinal)
    {
        ["service start"] = "--data /var/lib/furlough",
        ["service check"] = "--settings /etc/furlough/service.yaml",
        ["service settings"] = "",
        ["service status"] = "",
        ["service backup"] = "/var/backups/furlough/before-summer.backup",
        ["service restore"] = "/var/backups/furlough/before-summer.backup --data /var/lib/furlough",
        ["certificate show"] = "",
        ["certificate renew"] = "",
        ["certificate use"] = "furlough.pem furlough.key",
        ["service replace-steward-token"] = "--data /var/lib/furlough",
        ["machine list"] = "--room Herbarium --standing stuck",
        ["machine show"] = "herb-03",
        ["machine survey"] = "herb-03",
        ["machine space"] = "herb-03",
        ["machine invite"] = "--machines 24 --room-rule herb-*=Herbarium",
        ["machine invites"] = "",
        ["machine uninvite"] = "3f6a09c1",
        ["machine tag"] = "herb-01 herb-02 --is imaging",
        ["machine reserve"] = "--room Herbarium --system 20% --others \"50 GB\"",
        ["machine drill"] = "cabin-1 --volume E: --account asa.lind",
        ["machine hold"] = "map-01 map-02 --reason \"exams until noon\"",
        ["machine release"] = "map-01 map-02",
        ["machine forget"] = "wet-07",
        ["brief sample"] = "",
        ["brief check"] = "herbarium.yaml",
        ["brief suggest"] = "--free \"60 GB\" --room Herbarium",
        ["kind sample"] = "",
        ["kind check"] = "sketches.yaml --on herb-03",
        ["kind add"] = "sketches.yaml --on \"herb-*\"",
        ["kind list"] = "",
        ["kind show"] = "sketches",
        ["kind remove"] = "sketches",
        ["plan make"] = "herbarium.yaml",
        ["plan list"] = "",
        ["plan show"] = "2",
        ["plan difference"] = "2 3",
        ["plan consent"] = "2 --hazard no-backup --reason \"backed up by hand today\"",
        ["plan notice"] = "2 --begins 2026-11-27T18:00Z",
        ["run start"] = "--plan 2",
        ["run approve"] = "2",
        ["run list"] = "",
        ["run show"] = "2",
        ["run follow"] = "2",
        ["run retry"] = "2 --cause file-unreadable",
        ["run skip"] = "2 --cause file-unreadable --reason \"the disk is replaced on Friday\"",
        ["run pause"] = "2",
        ["run resume"] = "2",
        ["run halt"] = "2",
        ["relocation list"] = "--run 2",
        ["relocation show"] = "190",
        ["relocation fall-back"] = "190 --missing-from 2026-11-27T18:22Z",
        ["relocation skip"] = "190 --reason \"she left\"",
        ["relocation begin"] = "190",
        ["relocation back-out"] = "190",
        ["relocation retry"] = "190 191",
        ["relocation return"] = "190 --follow",
        ["relocation gather"] = "190",
        ["original list"] = "",
        ["original discard"] = "--room Herbarium --due --dry-run",
        ["errand list"] = "",
        ["errand claim"] = "3 --as \"room desk\"",
        ["errand finish"] = "3 --note \"done at lunch\"",
        ["errand decline"] = "3 --reason \"the room is closed\"",
        ["audit make"] = "",
        ["audit list"] = "",
        ["audit show"] = "1",
        ["report make"] = "--run 2 --to run.html",
        ["history list"] = "--about \"relocation 190\"",
        ["notification add"] = "keeper --mail keeper@station.example --on run-halted errand-raised",
        ["notification list"] = "",
        ["notification remove"] = "keeper",
        ["access add"] = "kit.sorrel --level technician --days 90",
        ["access list"] = "",
        ["access replace"] = "kit.sorrel",
        ["access revoke"] = "kit.sorrel",
        ["access sign-in"] = "",
        ["access sign-out"] = "",
        ["demo start"] = "--fresh",
        ["manual write"] = "~/.local/share/man/man1",
        ["manual reference"] = "",
        ["completion bash"] = "",
        ["completion zsh"] = "",
        ["completion fish"] = "",
    };

    /// <summary>The whole line; null for a noun, and for a command that has none.</summary>
    internal static string? Of(Command command) =>
        Find(command) is { } path && Known.TryGetValue(path, out var rest) ? $"furlough {path} {rest}".TrimEnd() : null;

    /// <summary>The commands that an example is kept for.</summary>
    internal static IReadOnlyCollection<string> Commands => Known.Keys;

    /// <summary>Help ends with the example.</summary>
    internal static void ShowInHelp(RootCommand root)
    {
        var help = root.Options.OfType<HelpOption>().Single();
        help.Action = new HelpWithExample((SynchronousCommandLineAction)help.Action!);
    }

    private static string? Find(Command command) =>
        command.Parents.OfType<Command>().FirstOrDefault(p => p is not RootCommand) is { } noun
            ? $"{noun.Name} {command.Name}"
            : null;

    private sealed class HelpWithExample(SynchronousCommandLineAction help) : SynchronousCommandLineAction
    {
        public override int Invoke(ParseResult parseResult)
        {
            var code = help.Invoke(parseResult);
            if (Of(parseResult.CommandResult.Command) is { } example)
                parseResult.InvocationConfiguration.Output.WriteLine($"Example:\n  {example}\n");
            return code;
        }
    }
}
