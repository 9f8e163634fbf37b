using System.Diagnostics;
using System.Text;
using Furlough.Platform.Tests;

namespace Furlough.EndToEnd.Tests;

/// <summary>A Windows of the compatible system's making, with a second volume and the published programs. Ends what ran on it and removes itself.</summary>
public sealed class WindowsDesk : IDisposable
{
    /// <summary>An empty one, which scripts/install-system-tools keeps.</summary>
    private const string Empty = "/var/cache/furlough-tests/windows";

    private readonly string _prefix = Directory.CreateTempSubdirectory("furlough-windows-").FullName;

    public WindowsDesk() =>
        LinuxTree.Sh($"cp -a {Empty}/. {_prefix}; mkdir {_prefix}/second; mount -t tmpfs -o size=600m tmpfs {_prefix}/second; ln -s ../second {_prefix}/dosdevices/d:; cp -r {Field.Repository}/artifacts/windows {_prefix}/drive_c/programs");

    public void Dispose()
    {
        Wine("wineserver", "-k");
        LinuxTree.Sh($"umount -l {_prefix}/second; rm -rf {_prefix}");
    }

    /// <summary>The home of its account.</summary>
    public string Home => $"{_prefix}/drive_c/users/{Environment.UserName}";

    /// <summary>The root of its second volume.</summary>
    public string Second => $"{_prefix}/second";

    /// <summary>Names, contents and times of a tree.</summary>
    internal static string Describe(string folder) => LinuxTree.Sh($"cd '{folder}' && find . -type f ! -path '*/.furlough-*' -printf '%P %s %T@\\n' | sort; find . -type f ! -path '*/.furlough-*' -print0 | sort -z | xargs -0 cat | sha256sum");

    /// <summary>Starts the agent there.</summary>
    internal Process StartAgent(Field field, string name, string? code = null) => field.Keep(Launch("wine", [@"C:\programs\furlough-agent.exe", "--service", field.Address, "--root", @"C:\", "--data", @"C:\ProgramData\Furlough", "--name", name, "--room", "Wet Lab", .. code is null ? Array.Empty<string>() : ["--code", code]]));

    /// <summary>Runs the second Windows program.</summary>
    internal Outcome Probe(params string[] arguments) => Wine(["wine", @"C:\programs\Furlough.WindowsProbe.exe", .. arguments]);

    internal Outcome Wine(params string[] command)
    {
        using var process = Launch(command[0], command[1..]);
        return Field.Finish(process);
    }

    private Process Launch(string program, params string[] arguments)
    {
        var start = new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true, StandardOutputEncoding = Encoding.UTF8 };
        foreach (var name in (string[])["HOME", "DISPLAY"]) start.Environment.Remove(name);
        // The runtime's double mapping of code ends in faults of its own there.
        foreach (var (key, value) in (ReadOnlySpan<(string, string)>)[("WINEPREFIX", _prefix), ("WINEDEBUG", "-all"), ("WINEDLLOVERRIDES", "winemenubuilder.exe=d;winedbg.exe=d"), ("DOTNET_EnableWriteXorExecute", "0")]) start.Environment[key] = value;
        return Process.Start(start)!;
    }
}
