using System.CommandLine;
using Furlough.Cli.Commands;
using Furlough.Cli.Output;

namespace Furlough.Cli;

/// <summary>The command line: reads arguments, runs the command that they name, and prints what it says.</summary>
public static class CommandLine
{
    private static readonly Lazy<RootCommand> Root = new(Make);

    /// <summary>Every command, with its arguments, options and what they are for.</summary>
    internal static RootCommand Commands => Root.Value;

    /// <summary>Runs one command.</summary>
    /// <param name="live">A person looks on: lines are folded to the width of the terminal.</param>
    /// <returns>The exit code.</returns>
    public static async Task<int> RunAsync(
        IReadOnlyList<string> arguments,
        TextWriter output,
        TextWriter error,
        bool live
    )
    {
        Terminal.Open(output, error, live);
        var parsed = Root.Value.Parse(arguments);
        // A service that is asked to stop ends its connections first.
        var code = await parsed.InvokeAsync(
            new InvocationConfiguration
            {
                ProcessTerminationTimeout = TimeSpan.FromSeconds(20),
                Output = Terminal.Output,
                Error = Terminal.Error,
            }
        );
        return parsed.Errors.Count > 0 ? ExitCode.WrongUse : code;
    }

    private static RootCommand Make()
    {
        var root = new RootCommand(
            "Plans, applies and audits the relocation of folders and other holdings across many machines."
        )
        {
            Connection.Service,
            Connection.Token,
            Connection.Certificate,
            Connection.Json,
            Connection.Csv,
            ServiceCommands.Make(),
            MachineCommands.Make(),
            BriefCommands.Make(),
            KindCommands.Make(),
            CertificateCommands.Make(),
            PlanCommands.Make(),
            RunCommands.Make(),
            RelocationCommands.Make(),
            OriginalCommands.Make(),
            ErrandCommands.Make(),
            AuditCommands.Make(),
            ReportCommands.Make(),
            HistoryCommands.Make(),
            NotificationCommands.Make(),
            AccessCommands.Make(),
            DemoCommands.Make(),
        };
        root.Add(ManualCommands.Make(root));
        root.Add(CompletionCommands.Make());
        Examples.ShowInHelp(root);
        return root;
    }
}
