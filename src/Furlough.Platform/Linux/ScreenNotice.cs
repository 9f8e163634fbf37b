using System.Diagnostics;
using System.Globalization;
using System.Text;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// A notice of the desktop (Desktop Notifications Specification), shown by the system's own command in a person's
/// session.
/// </summary>
internal sealed class ScreenNotice : IShownNotice
{
    internal const string Tool = "/usr/bin/notify-send";
    private const string Bus = "DBUS_SESSION_BUS_ADDRESS",
        PutOffAction = "put-off";
    private const int Interrupt = 2;

    /// <summary>A session without anything that shows notices says so within this time.</summary>
    private static readonly TimeSpan Refused = TimeSpan.FromSeconds(1);

    private readonly Process _process;
    private readonly Task<string> _answer;
    private readonly Func<bool> _hasLeft;

    private ScreenNotice(Process process, Func<bool> hasLeft)
    {
        (_process, _hasLeft) = (process, hasLeft);
        _answer = process.StandardOutput.ReadToEndAsync();
    }

    public bool IsPutOff => _answer.IsCompletedSuccessfully && _answer.Result.Trim() == PutOffAction;

    /// <summary>Nothing else of the session runs any more.</summary>
    public bool HasLeft => _hasLeft();

    /// <summary>Shows it in one of the sessions; null where none of them can.</summary>
    /// <param name="processes">The person's processes.</param>
    /// <param name="asPerson">A command as the person runs it, from the root of this machine on, with this of the
    /// environment.</param>
    internal static ScreenNotice? Show(
        Func<IEnumerable<RunningProcess>> processes,
        Func<string, IReadOnlyList<string>, IReadOnlyList<string>> asPerson,
        ToldText told,
        TimeSpan length,
        bool mayPutOff
    )
    {
        string[] choice = mayPutOff ? [$"--action={PutOffAction}={told.PutOff}"] : [];
        foreach (
            var bus in processes()
                .Select(p => p.Environment(Bus))
                .OfType<string>()
                .Distinct(StringComparer.Ordinal)
                .ToList()
        )
        {
            var command = asPerson(
                $"{Bus}={bus}",
                [
                    Tool,
                    "--app-name=Furlough",
                    "--urgency=critical",
                    "--wait",
                    string.Create(CultureInfo.InvariantCulture, $"--expire-time={(int)length.TotalMilliseconds}"),
                    .. choice,
                    "--",
                    told.Title,
                    told.Text,
                ]
            );
            if (Process.Start(StartOf(command)) is not { } process)
                continue;
            if (!process.WaitForExit(Refused) || process.ExitCode == 0)
                return new ScreenNotice(process, () =>
                    processes().All(p => p.Id == process.Id || p.Environment(Bus) != bus)
                );
            process.Dispose();
        }
        return null;
    }

    private static ProcessStartInfo StartOf(IReadOnlyList<string> command)
    {
        var start = new ProcessStartInfo(command[0])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            StandardOutputEncoding = Encoding.UTF8,
        };
        foreach (var argument in command.Skip(1))
            start.ArgumentList.Add(argument);
        return start;
    }

    /// <summary>The command closes its notice when it is interrupted.</summary>
    public void Dispose()
    {
        if (!_process.HasExited)
            _ = Native.Signal(_process.Id, Interrupt);
        _process.WaitForExit(Refused);
        _process.Dispose();
    }
}
