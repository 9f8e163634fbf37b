using System.CommandLine;
using System.Diagnostics;
using Furlough.Engine;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>What someone can do who stands at the machine.</summary>
internal static class DeskCommands
{
    internal static IEnumerable<Command> Make() =>
        [Status(), LetIn(), FallBack(), Check(), BeforeRemoval(), AwaitEnd()];

    private static Command Status()
    {
        var status = new Command("status", "Show what this agent knows, without a network.");
        status.SetAction(parsed => DeskStatus.Print(parsed.GetValue(AgentCommandLine.Data)!, Console.Out));
        return status;
    }

    private static Command LetIn()
    {
        var person = new Argument<string>("account") { Description = "The account that cannot sign in" };
        var letInRoot = new Option<string>("--root")
        {
            Description = "Root folder of the system",
            DefaultValueFactory = _ => "/",
        };
        var letIn = new Command(
            "let-in",
            "Let an account sign in again that a relocation has locked out, without a network."
        )
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
        return letIn;
    }

    private static Command FallBack()
    {
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
                                parsed.GetValue(AgentCommandLine.Data)!,
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
        return fallBack;
    }

    private static Command Check()
    {
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
            "Try on this very system what everything rests on, with a scratch account and a second volume, and writes a report."
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
                                parsed.GetValue(AgentCommandLine.Data)!,
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
        return check;
    }

    private static Command BeforeRemoval()
    {
        var removal = new Command(
            "before-removal",
            "Say what is still undecided here when the agent is removed; fails while a relocation is under way."
        );
        removal.SetAction(parsed => DeskStatus.BeforeRemoval(parsed.GetValue(AgentCommandLine.Data)!, Console.Out));
        return removal;
    }

    /// <summary>For the installer of Windows, which replaces files only when nobody has them open.</summary>
    private static Command AwaitEnd()
    {
        var end = new Command("await-end", "Wait until no other agent runs on this machine.") { Hidden = true };
        end.SetAction(_ =>
        {
            foreach (var other in Process.GetProcessesByName("furlough-agent"))
                using (other)
                    if (other.Id != Environment.ProcessId)
                        other.WaitForExit(TimeSpan.FromSeconds(30));
        });
        return end;
    }
}
