using System.Diagnostics;
using System.Text;
using Furlough.Platform.Tests;
using Shouldly;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// A Windows of the compatible system's making, with a second volume and the published programs. Ends what ran on it
/// and removes itself.
/// </summary>
public sealed class WindowsDesk : IDisposable
{
    /// <summary>An empty one, which scripts/install-system-tools keeps.</summary>
    private const string Empty = "/var/cache/furlough-tests/windows";

    private const string Folders = @"Software\Microsoft\Windows\CurrentVersion\Explorer";

    private readonly string _prefix = Directory.CreateTempSubdirectory("furlough-windows-").FullName;

    public WindowsDesk() =>
        LinuxTree.Sh(
            $"cp -a {Empty}/. {_prefix}; mkdir {_prefix}/second; mount -t tmpfs -o size=600m tmpfs "
                + $"{_prefix}/second; ln -s ../second {_prefix}/dosdevices/d:; cp -r "
                + $"{Field.Repository}/artifacts/windows {_prefix}/drive_c/programs"
        );

    public void Dispose()
    {
        Wine("wineserver", "-k");
        LinuxTree.Sh($"umount -l {_prefix}/second; rm -rf {_prefix}");
    }

    /// <summary>The folder of its system volume.</summary>
    internal string System => $"{_prefix}/drive_c";

    /// <summary>The home of its account.</summary>
    public string Home => $"{_prefix}/drive_c/users/{Environment.UserName}";

    /// <summary>The root of its second volume.</summary>
    public string Second => $"{_prefix}/second";

    /// <summary>A further account that is not signed in, with Documents of its own.</summary>
    /// <returns>Its home.</returns>
    internal string AddAccount(string name, int number)
    {
        var home = $"{_prefix}/drive_c/users/{name}";
        Directory.CreateDirectory($"{home}/Documents");
        File.WriteAllText($"{home}/Documents/sheet.ods", "a count");
        File.SetLastWriteTimeUtc($"{home}/Documents/sheet.ods", new DateTime(2024, 5, 1, 6, 0, 0, DateTimeKind.Utc));
        const string seed = "Seed";
        File.WriteAllText(
            $"{_prefix}/drive_c/account.reg",
            $"""
            REGEDIT4

            [HKEY_CURRENT_USER\{seed}\{Folders}\User Shell Folders]
            "Personal"=hex(2):{Expandable(@"%USERPROFILE%\Documents")}

            [HKEY_CURRENT_USER\{seed}\{Folders}\Shell Folders]
            "Personal"="C:\\users\\{name}\\Documents"

            [HKEY_LOCAL_MACHINE\SOFTWARE\Microsoft\Windows NT\CurrentVersion\ProfileList\S-1-5-21-0-0-0-{number}]
            "ProfileImagePath"=hex(2):{Expandable($@"%SystemDrive%\users\{name}")}
            """.ReplaceLineEndings("\r\n")
        );
        Wine("wine", "regedit", @"C:\account.reg");
        Probe("settings", seed, SettingsOf(name)).Code.ShouldBe(0);
        Wine("wine", "reg", "delete", $@"HKCU\{seed}", "/f");
        return home;
    }

    /// <summary>What the settings of an account that is not signed in say of its folders.</summary>
    /// <param name="home">Where its home is; by default the usual place.</param>
    internal string FolderSettings(string name, string? home = null)
    {
        var said = Probe(
            "show",
            home is null ? SettingsOf(name) : $@"{home}\NTUSER.DAT",
            $@"{Folders}\User Shell Folders",
            $@"{Folders}\Shell Folders"
        );
        said.Code.ShouldBe(0, said.ToString());
        return said.Out.ReplaceLineEndings("\n");
    }

    /// <summary>An expandable value as files of that format write it.</summary>
    private static string Expandable(string text) =>
        string.Join(',', Encoding.ASCII.GetBytes(text + "\0").Select(b => $"{b:x2}"));

    /// <summary>The file of an account's settings.</summary>
    internal static string SettingsOf(string name) => $@"C:\users\{name}\NTUSER.DAT";

    /// <summary>Starts a program of its own that keeps a file for itself.</summary>
    internal Process Hold(Field field, string file)
    {
        var process = Launch("wine", @"C:\programs\Furlough.WindowsProbe.exe", "hold", file);
        process.StandardOutput.ReadLine().ShouldBe("held");
        return field.Keep(process);
    }

    /// <summary>Starts a program of its own that runs until its standard input ends.</summary>
    internal Process Open(Field field, string program) => field.Keep(Launch("wine", program));

    /// <summary>Names, contents and times of a tree.</summary>
    internal static string Describe(string folder) =>
        LinuxTree.Sh(
            $"cd '{folder}' && find . -type f ! -path '*/.furlough-*' -printf '%P %s %T@\\n' | sort; find . -type "
                + "f ! -path '*/.furlough-*' -print0 | sort -z | xargs -0 cat | sha256sum"
        );

    /// <summary>Starts the agent there.</summary>
    internal Process StartAgent(Field field, string name, string? code = null, params string[] more)
    {
        var agent = Launch(
            "wine",
            [
                @"C:\programs\furlough-agent.exe",
                "--service",
                field.Address,
                "--root",
                @"C:\",
                "--data",
                @"C:\ProgramData\Furlough",
                "--name",
                name,
                "--room",
                "Wet Lab",
                .. more,
                .. code is null ? Array.Empty<string>() : ["--code-file", "-"],
            ]
        );
        if (code is not null)
            agent.StandardInput.WriteLine(code);
        agent.StandardInput.Close();
        return field.Keep(agent);
    }

    /// <summary>Runs the second Windows program.</summary>
    internal Outcome Probe(params string[] arguments) =>
        Wine(["wine", @"C:\programs\Furlough.WindowsProbe.exe", .. arguments]);

    internal Outcome Wine(params string[] command)
    {
        using var process = Launch(command[0], command[1..]);
        return Field.Finish(process);
    }

    private Process Launch(string program, params string[] arguments)
    {
        var start = new ProcessStartInfo(program, arguments)
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            RedirectStandardInput = true,
            StandardOutputEncoding = Encoding.UTF8,
        };
        foreach (var name in (string[])["HOME", "DISPLAY"])
            start.Environment.Remove(name);
        // The runtime's double mapping of code ends in faults of its own there.
        foreach (
            var (key, value) in (ReadOnlySpan<(string, string)>)
                [
                    ("WINEPREFIX", _prefix),
                    ("WINEDEBUG", "-all"),
                    ("WINEDLLOVERRIDES", "winemenubuilder.exe=d;winedbg.exe=d"),
                    ("DOTNET_EnableWriteXorExecute", "0"),
                ]
        )
            start.Environment[key] = value;
        return Process.Start(start)!;
    }
}
