using System.CommandLine;
using Furlough.Cli;
using Furlough.Cli.Commands;

Console.OutputEncoding = System.Text.Encoding.UTF8;
Furlough.Cli.Output.Terminal.Protect();
var root = new RootCommand(
    "Plans, applies and audits the relocation of folders and other holdings across many machines."
)
{
    Connection.Service,
    Connection.Token,
    Connection.Json,
    Connection.Csv,
    ServiceCommands.Make(),
    MachineCommands.Make(),
    BriefCommands.Make(),
    KindCommands.Make(),
    PlanCommands.Make(),
    RunCommands.Make(),
    RelocationCommands.Make(),
    OriginalCommands.Make(),
    ErrandCommands.Make(),
    AuditCommands.Make(),
    ReportCommands.Make(),
    HistoryCommands.Make(),
    NoticeCommands.Make(),
    AccessCommands.Make(),
    DemoCommands.Make(),
};
root.Add(ManualCommands.Make(root));
root.Add(CompletionCommands.Make());
var parsed = root.Parse(args);

// A service that is told to stop ends its connections first.
var code = await parsed.InvokeAsync(
    new InvocationConfiguration { ProcessTerminationTimeout = TimeSpan.FromSeconds(20) }
);
return parsed.Errors.Count > 0 ? Furlough.Cli.Output.ExitCode.WrongUse : code;
