using System.CommandLine;
using System.Runtime.InteropServices;
using Furlough.Agent.Launching;
using Furlough.Engine;
using Furlough.Platform.Linux;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>The agent's command line: without a command it serves the machine; its commands are for people who stand there.</summary>
internal static class AgentCommandLine
{
    private static readonly Option<string?> Service = new("--service")
    {
        Description = "Address of the service, such as https://furlough.office.example:8443",
    };
    private static readonly Option<string?> CodeFile = new("--code-file")
    {
        Description =
            "File with the invite from `furlough machine invite`, - for standard input; without it FURLOUGH_CODE of "
            + "the environment. Needed at the first start only",
    };
    private static readonly Option<string> Root = new("--root")
    {
        Description = "Root folder of the system that is served",
        DefaultValueFactory = _ => OperatingSystem.IsWindows() ? @"C:\" : "/",
    };
    internal static readonly Option<string> Data = new("--data")
    {
        Description = "Folder for the agent's journal, outbox and key",
        DefaultValueFactory = _ =>
            OperatingSystem.IsWindows()
                ? Path.Combine(
                    Environment.GetFolderPath(Environment.SpecialFolder.CommonApplicationData),
                    "Furlough Agent"
                )
                : "/var/lib/furlough-agent",
        Recursive = true,
    };
    private static readonly Option<string?> Name = new("--name")
    {
        Description = "Name of the machine; default: its host name",
    };
    private static readonly Option<string> Room = new("--room")
    {
        Description = "Room in which it stands",
        DefaultValueFactory = _ => "unassigned",
    };
    private static readonly Option<string?> Fallback = new("--fallback")
    {
        Description = "Account of the fallback administrator",
    };

    private static readonly Option<bool> CardCommands = new("--card-commands")
    {
        Description =
            "Let commands of kind cards run here, which ask programs where their data lives; the service cannot turn this on",
    };

    private static readonly Option<string[]> AllowTarget = new("--allow-target")
    {
        Description =
            "Folder of the system volume below which holdings may be put; on other volumes they may go anyway. Can be given more than once",
    };
    private static readonly Option<string[]> AllowSetting = new("--allow-setting")
    {
        Description =
            "Settings file of the whole system, below /etc, that kind cards may change. Can be given more than once",
    };
    private static readonly Option<string[]> AllowShared = new("--allow-shared")
    {
        Description =
            "Folder besides /srv below which libraries of all accounts may be relocated from. Can be given more than once",
    };

    private static readonly Option<string?> Settings = new("--settings")
    {
        Description =
            "File with these options, one in a line: NAME = VALUE. The invite that it names is used once; a file beside this one "
            + "is then removed",
    };
    private static readonly Option<bool> AsService = new("--as-service")
    {
        Description = "Run as a service of Windows, with the settings that the installer was given",
    };
    private static readonly Option<bool> Launch = new("--launch")
    {
        Description =
            "Run the agent as a process of its own: in the version that an upgrade has put here, and again in the former one where "
            + "that is not well",
    };
    private static readonly Option[] Settable =
    [
        Service,
        CodeFile,
        Name,
        Room,
        Fallback,
        CardCommands,
        AllowTarget,
        AllowSetting,
        AllowShared,
    ];

    /// <summary>All of it.</summary>
    internal static RootCommand Make()
    {
        var command = new RootCommand("Relocates holdings on this machine as the Furlough service asks.")
        {
            Settings,
            AsService,
            Launch,
            Root,
            Data,
        };
        foreach (var option in Settable)
            command.Options.Add(option);
        command.SetAction(
            (parsed, stop) =>
                parsed.GetValue(AsService) && OperatingSystem.IsWindows()
                    ? Task.FromResult(WindowsService.Run(parsed.GetValue(Data)!, end => ServeAsync(parsed, end)))
                    : ServeAsync(parsed, stop)
        );
        foreach (var one in DeskCommands.Make())
            command.Subcommands.Add(one);
        return command;
    }

    /// <summary>Runs one.</summary>
    /// <returns>The exit code.</returns>
    internal static async Task<int> RunAsync(IReadOnlyList<string> arguments)
    {
        using var terminated = PosixSignalRegistration.Create(PosixSignal.SIGHUP, c => c.Cancel = true);
        var command = Make();
        if (command.Parse(arguments) is var given && given.GetValue(Launch))
            return await LaunchAsync(given.GetValue(Data)!, [.. arguments.Where(a => a != Launch.Name)]);
        try
        {
            if (command.Parse(arguments) is { Errors.Count: 0 } first)
                arguments = AgentSettings.AddTo(arguments, SettingsOf(first), Settable);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            await Console.Error.WriteLineAsync($"furlough-agent: {error.Message}");
            return 2;
        }
        return await command
            .Parse(arguments)
            .InvokeAsync(new InvocationConfiguration { ProcessTerminationTimeout = TimeSpan.FromSeconds(20) });
    }

    private static async Task<int> LaunchAsync(string data, IReadOnlyList<string> arguments)
    {
        PrivateFolder.Make(data);
        using var end = new CancellationTokenSource();
        void Stop(PosixSignalContext signal)
        {
            signal.Cancel = true;
            end.Cancel();
        }
        using var terminated = PosixSignalRegistration.Create(PosixSignal.SIGTERM, Stop);
        using var interrupted = PosixSignalRegistration.Create(PosixSignal.SIGINT, Stop);
        var launcher = new Launcher(ProgramVersions.Of(data), arguments, AgentHost.Log);
        return await Task.Run(() => launcher.Run(end.Token));
    }

    private static IEnumerable<AgentSetting> SettingsOf(ParseResult parsed) =>
        parsed.GetValue(Settings) is { } file ? AgentSettings.Read(file)
        : parsed.GetValue(AsService) && OperatingSystem.IsWindows() ? AgentSettings.ReadRegistry()
        : [];

    private static async Task<int> ServeAsync(ParseResult parsed, CancellationToken stop)
    {
        var fromSettings = parsed.GetValue(Settings) is not null || parsed.GetValue(AsService);
        try
        {
            return await AgentHost.RunAsync(
                new AgentHostOptions(
                    parsed.GetValue(Service),
                    await InviteAsync(parsed.GetValue(CodeFile), fromSettings, stop),
                    parsed.GetValue(Root)!,
                    parsed.GetValue(Data)!,
                    parsed.GetValue(Name) ?? Environment.MachineName,
                    parsed.GetValue(Room)!,
                    parsed.GetValue(Fallback),
                    parsed.GetValue(CardCommands)
                )
                {
                    IsCodeUsedOnce = fromSettings,
                    UsedUp = UsedUp(parsed.GetValue(Settings), parsed.GetValue(CodeFile)),
                    Rules = new LocalRules(parsed.GetValue(AllowTarget) ?? [], parsed.GetValue(AllowSetting) ?? [])
                    {
                        SharedBelow = parsed.GetValue(AllowShared) ?? [],
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

    /// <summary>The invite's file where it was put beside the settings for this machine alone: others may share theirs.</summary>
    private static string? UsedUp(string? settings, string? codeFile) =>
        settings is not null
        && codeFile is not (null or "-")
        && Path.GetDirectoryName(Path.GetFullPath(codeFile)) == Path.GetDirectoryName(Path.GetFullPath(settings))
            ? codeFile
            : null;

    // Not from the command line: every account of the machine could read it there.
    private static async Task<string?> InviteAsync(string? file, bool mayBeGone, CancellationToken stop) =>
        (
            file switch
            {
                null => Environment.GetEnvironmentVariable("FURLOUGH_CODE"),
                not null when mayBeGone && !File.Exists(file) => null,
                "-" => await Console.In.ReadToEndAsync(stop),
                _ => await File.ReadAllTextAsync(file, stop),
            }
        )?.Trim()
            is { Length: > 0 } code
            ? code
            : null;
}
