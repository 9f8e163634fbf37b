using System.CommandLine;
using System.Diagnostics;
using Furlough.Agent.Launching;
using Furlough.Engine;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>What someone can do who stands at the machine.</summary>
internal static class DeskCommands
{
    internal static IEnumerable<Command> Make() =>
        [Status(), LetIn(), FallBack(), Check(), Upgrade(), BeforeRemoval(), AwaitEnd()];

    private static Command Status()
    {
        var status = new Command("status", "Show what this agent knows, without a network.");
        status.SetAction(parsed => DeskStatus.Print(DataOf(parsed), Console.Out));
        return status;
    }

    private static Command LetIn()
    {
        var account = new Argument<string>("account") { Description = "The account that cannot sign in" };
        var root = Root("Root folder of the system");
        var letIn = new Command(
            "let-in",
            "Let an account sign in again that a relocation has locked out, without a network."
        )
        {
            account,
            root,
        };
        letIn.SetAction(parsed =>
            Telling(() => AgentHost.LetIn(parsed.GetValue(root)!, parsed.GetValue(account)!, Console.Out))
        );
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
        var root = Root("Root folder of the system");
        var fallBack = new Command(
            "fall-back",
            "Make the original live again where the target is lost, at this machine and without a network. The agent must not be running."
        )
        {
            relocation,
            missing,
            root,
        };
        fallBack.SetAction(
            (parsed, stop) =>
                Task.FromResult(
                    Telling(() =>
                        AgentHost.FallBack(
                            Alone(parsed.GetValue(root)!, DataOf(parsed)),
                            parsed.GetValue(relocation),
                            parsed.GetValue(missing),
                            Console.Out,
                            stop
                        )
                    )
                )
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
        var root = Root("Root folder of the system that is checked");
        var check = new Command(
            "check",
            "Try on this very system what everything rests on, with a scratch account and a second volume, and write a report."
        )
        {
            account,
            root,
        };
        check.SetAction(
            (parsed, stop) =>
                Task.FromResult(
                    Telling(() =>
                        AgentHost.Check(Alone(parsed.GetValue(root)!, DataOf(parsed)), parsed.GetValue(account)!, stop)
                    )
                )
        );
        return check;
    }

    private static Command Upgrade()
    {
        var folder = new Argument<string>("folder")
        {
            Description = "Folder with a release: its list (SHA256SUMS), the list's signature, and the agent's archive",
        };
        var upgrade = new Command(
            "upgrade",
            "Put a later version here. The running agent goes over to it before the next step that locks somebody out, "
                + "and back if it is not well."
        )
        {
            folder,
        };
        upgrade.SetAction(parsed =>
            Telling(() => DeskUpgrade.Offer(ProgramVersions.Of(DataOf(parsed)), parsed.GetValue(folder)!, Console.Out))
        );
        return upgrade;
    }

    private static Command BeforeRemoval()
    {
        var removal = new Command(
            "before-removal",
            "Say what is still undecided here when the agent is removed; fails while a relocation is under way."
        );
        removal.SetAction(parsed => DeskStatus.BeforeRemoval(DataOf(parsed), Console.Out));
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

    private static Option<string> Root(string what) =>
        new("--root") { Description = what, DefaultValueFactory = _ => OperatingSystem.IsWindows() ? @"C:\" : "/" };

    private static string DataOf(ParseResult parsed) => parsed.GetValue(AgentCommandLine.Data)!;

    /// <summary>Options of an agent that works without a service.</summary>
    private static AgentHostOptions Alone(string root, string data) => new(null, null, root, data, "", "", null, false);

    /// <summary>Does something; what fails is told on standard error.</summary>
    private static int Telling(Func<int> act)
    {
        try
        {
            return act();
        }
        catch (Exception error)
            when (error
                    is Fault
                        or UpgradeRefusedException
                        or IOException
                        or UnauthorizedAccessException
                        or PlatformNotSupportedException
            )
        {
            Console.Error.WriteLine($"furlough-agent: {error.Message}");
            if (error is Fault { Remedy.Length: > 0 } fault)
                Console.Error.WriteLine(fault.Remedy);
            return 1;
        }
    }
}
