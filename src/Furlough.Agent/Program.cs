using System.CommandLine;
using System.Runtime.InteropServices;
using Furlough.Agent;
using Furlough.Engine;
using Furlough.Platform.Linux;
using Furlough.Protocol;

var service = new Option<string?>("--service")
{
    Description = "Address of the service, such as https://furlough.office.example:8443",
};
var codeFile = new Option<string?>("--code-file")
{
    Description =
        "File with the invite from `furlough machine invite`, - for standard input; without it FURLOUGH_CODE of "
        + "the environment. Needed at the first start only",
};
var root = new Option<string>("--root")
{
    Description = "Root folder of the system that is served",
    DefaultValueFactory = _ => "/",
};
var data = new Option<string>("--data")
{
    Description = "Folder for the agent's journal, outbox and key",
    DefaultValueFactory = _ =>
        OperatingSystem.IsWindows()
            ? Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.CommonApplicationData), "Furlough Agent")
            : "/var/lib/furlough-agent",
    Recursive = true,
};
var name = new Option<string?>("--name") { Description = "Name of the machine; default: its host name" };
var room = new Option<string>("--room")
{
    Description = "Room in which it stands",
    DefaultValueFactory = _ => "unassigned",
};
var fallback = new Option<string?>("--fallback") { Description = "Account of the fallback administrator" };

var cardCommands = new Option<bool>("--card-commands")
{
    Description =
        "Let commands of kind cards run here, which ask programs where their data lives; the service cannot turn this on",
};

var allowTarget = new Option<string[]>("--allow-target")
{
    Description =
        "Folder of the system volume below which holdings may be put; on other volumes they may go anyway. Can be given more than once",
};
var allowSetting = new Option<string[]>("--allow-setting")
{
    Description =
        "Settings file of the whole system, below /etc, that kind cards may change. Can be given more than once",
};
var allowShared = new Option<string[]>("--allow-shared")
{
    Description =
        "Folder besides /srv below which libraries of all accounts may be relocated from. Can be given more than once",
};

var command = new RootCommand("Relocates holdings on this machine as the Furlough service asks.")
{
    service,
    codeFile,
    root,
    data,
    name,
    room,
    fallback,
    cardCommands,
    allowTarget,
    allowSetting,
    allowShared,
};
command.SetAction(
    async (parsed, stop) =>
    {
        try
        {
            return await AgentHost.RunAsync(
                new AgentHostOptions(
                    parsed.GetValue(service),
                    await InviteAsync(parsed.GetValue(codeFile), stop),
                    parsed.GetValue(root)!,
                    parsed.GetValue(data)!,
                    parsed.GetValue(name) ?? Environment.MachineName,
                    parsed.GetValue(room)!,
                    parsed.GetValue(fallback),
                    parsed.GetValue(cardCommands)
                )
                {
                    Rules = new LocalRules(parsed.GetValue(allowTarget) ?? [], parsed.GetValue(allowSetting) ?? [])
                    {
                        SharedBelow = parsed.GetValue(allowShared) ?? [],
                    },
                },
                stop
            );
        }
        catch (Exception error)
            when (error
                    is ServiceException
                        or Fault
                        or IOException
                        or UnauthorizedAccessException
                        or PlatformNotSupportedException
            )
        {
            Console.Error.WriteLine($"furlough-agent: {error.Message}");
            if ((error as ServiceException)?.Remedy is { } remedy)
                Console.Error.WriteLine(remedy);
            return error is ServiceException { Status: 401 or 403 or 409 or 410 } ? 5 : 1;
        }
    }
);
var status = new Command("status", "Says what this agent knows, without a network.");
status.SetAction(parsed => DeskStatus.Print(parsed.GetValue(data)!, Console.Out));
command.Subcommands.Add(status);
var person = new Argument<string>("account") { Description = "The account that cannot sign in" };
var letInRoot = new Option<string>("--root")
{
    Description = "Root folder of the system",
    DefaultValueFactory = _ => "/",
};
var letIn = new Command("let-in", "Let an account sign in again that a relocation has locked out, without a network.")
{
    person,
    letInRoot,
};
letIn.SetAction(parsed =>
{
    try
    {
        return AgentHost.LetIn(parsed.GetValue(letInRoot)!, parsed.GetValue(person)!, Console.Out);
    }
    catch (Exception error)
        when (error is Fault or IOException or UnauthorizedAccessException or PlatformNotSupportedException)
    {
        Console.Error.WriteLine($"furlough-agent: {error.Message}");
        return 1;
    }
});
command.Subcommands.Add(letIn);
var relocation = new Argument<long>("relocation")
{
    Description = "Number of the relocation whose target is lost, as `furlough-agent status` shows it",
};
var missing = new Option<DateTimeOffset?>("--missing-from")
{
    Description = "Time from which work will be missing, as the command asks for it",
};
var fallBackRoot = new Option<string>("--root")
{
    Description = "Root folder of the system",
    DefaultValueFactory = _ => OperatingSystem.IsWindows() ? @"C:\" : "/",
};
var fallBack = new Command(
    "fall-back",
    "Make the original live again where the target is lost, at this machine and without a network. The agent must not be running."
)
{
    relocation,
    missing,
    fallBackRoot,
};
fallBack.SetAction(
    (parsed, stop) =>
    {
        try
        {
            return Task.FromResult(
                AgentHost.FallBack(
                    new AgentHostOptions(
                        null,
                        null,
                        parsed.GetValue(fallBackRoot)!,
                        parsed.GetValue(data)!,
                        "",
                        "",
                        null,
                        false
                    ),
                    parsed.GetValue(relocation),
                    parsed.GetValue(missing),
                    Console.Out,
                    stop
                )
            );
        }
        catch (Exception error)
            when (error is Fault or IOException or UnauthorizedAccessException or PlatformNotSupportedException)
        {
            Console.Error.WriteLine($"furlough-agent: {error.Message}");
            return Task.FromResult(1);
        }
    }
);
command.Subcommands.Add(fallBack);
var account = new Option<string>("--account")
{
    Description = "An account made for the purpose, which nobody works in",
    Required = true,
};
var checkRoot = new Option<string>("--root")
{
    Description = "Root folder of the system that is checked",
    DefaultValueFactory = _ => OperatingSystem.IsWindows() ? @"C:\" : "/",
};
var check = new Command(
    "check",
    "Tries on this very system what everything rests on, with a scratch account and a second volume, and writes a report."
)
{
    account,
    checkRoot,
};
check.SetAction(
    (parsed, stop) =>
    {
        try
        {
            return Task.FromResult(
                AgentHost.Check(
                    new AgentHostOptions(
                        null,
                        null,
                        parsed.GetValue(checkRoot)!,
                        parsed.GetValue(data)!,
                        "",
                        "",
                        null,
                        false
                    ),
                    parsed.GetValue(account)!,
                    stop
                )
            );
        }
        catch (Exception error)
            when (error is Fault or IOException or UnauthorizedAccessException or PlatformNotSupportedException)
        {
            Console.Error.WriteLine($"furlough-agent: {error.Message}");
            if (error is Fault { Remedy.Length: > 0 } fault)
                Console.Error.WriteLine(fault.Remedy);
            return Task.FromResult(1);
        }
    }
);
command.Subcommands.Add(check);
using var terminated = PosixSignalRegistration.Create(PosixSignal.SIGHUP, c => c.Cancel = true);
return await command
    .Parse(args)
    .InvokeAsync(new InvocationConfiguration { ProcessTerminationTimeout = TimeSpan.FromSeconds(20) });

// Not from the command line: every account of the machine could read it there.
static async Task<string?> InviteAsync(string? file, CancellationToken stop) =>
    (
        file switch
        {
            null => Environment.GetEnvironmentVariable("FURLOUGH_CODE"),
            "-" => await Console.In.ReadToEndAsync(stop),
            _ => await File.ReadAllTextAsync(file, stop),
        }
    )?.Trim()
        is { Length: > 0 } code
        ? code
        : null;
