using System.Diagnostics;
using System.Globalization;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>What is known of kinds of file systems, and what the kernel says of the machine.</summary>
internal static class Sysfs
{
    private static readonly HashSet<string> Network =
    [
        "nfs",
        "nfs4",
        "cifs",
        "smb3",
        "9p",
        "ceph",
        "afs",
        "fuse.sshfs",
        "glusterfs",
        "davfs",
    ];

    internal static bool IsNetwork(string fileSystem) => Network.Contains(fileSystem);

    internal static FileSystemAbilities AbilitiesOf(string fileSystem) =>
        fileSystem switch
        {
            "vfat" or "msdos" => new(false, false, false, false, false, false, 2_000_000_000, false, uint.MaxValue),
            "exfat" => new(false, false, false, false, false, false, 10_000_000, false),
            "fuseblk" or "fuse.exfat" or "fuse" => new(false, false, false, false, false, false, 1_000_000_000, false)
            {
                ReadsPastCache = false,
            },
            "ntfs3" => new(false, false, true, true, true, false, 100, false),
            _ when IsNetwork(fileSystem) => new(true, false, true, true, true, true, 1_000) { ReadsPastCache = false },
            "tmpfs" or "overlay" => FileSystemAbilities.Full with { ReadsPastCache = false },
            _ => FileSystemAbilities.Full,
        };

    /// <summary>When the system below a root folder was started; null where it does not say.</summary>
    internal static DateTimeOffset? StartedAt(string root)
    {
        const string facts = "/proc/stat",
            label = "btime ";
        var line = File.ReadLines(File.Exists(root + facts) ? root + facts : facts)
            .FirstOrDefault(l => l.StartsWith(label, StringComparison.Ordinal));
        return
            line is not null
            && long.TryParse(line[label.Length..], NumberStyles.None, CultureInfo.InvariantCulture, out var seconds)
            ? DateTimeOffset.FromUnixTimeSeconds(seconds)
            : null;
    }

    /// <summary>The machine has a battery and no other supply is connected.</summary>
    internal static bool IsOnBattery
    {
        get
        {
            const string supplies = "/sys/class/power_supply";
            if (!Directory.Exists(supplies))
                return false;
            string Of(string supply, string what) =>
                File.Exists($"{supply}/{what}") ? File.ReadAllText($"{supply}/{what}").Trim() : "";
            var all = Directory.GetDirectories(supplies).Where(s => Of(s, "scope") != "Device").ToList();
            return all.Any(s => Of(s, "type") == "Battery" && Of(s, "status") == "Discharging")
                && !all.Any(s => Of(s, "type") is "Mains" or "USB" && Of(s, "online") == "1");
        }
    }
}

/// <summary>Runs the system's own commands: argument lists, never a shell line, and a time limit.</summary>
internal static class Commands
{
    private static readonly TimeSpan Limit = TimeSpan.FromSeconds(10);

    /// <summary>
    /// What a command of the system with this root folder prints, by its whole path, or why there is nothing.
    /// </summary>
    internal static (string? Output, string? Why) Inside(string root, IReadOnlyList<string> command) =>
        From(root, command) is var whole ? Answer(whole[0], whole.Skip(1)) : default;

    /// <summary>A command of the system with this root folder, as this machine runs it.</summary>
    internal static IReadOnlyList<string> From(string root, IReadOnlyList<string> command) =>
        root.Length == 0 ? command : ["chroot", root, .. command];

    /// <summary>What a command prints, or null when it fails or hangs.</summary>
    internal static string? Run(string program, IEnumerable<string> arguments) => Answer(program, arguments).Output;

    /// <summary>
    /// What a command prints, or why there is nothing: "is missing", "did not end within 10 s", "failed (…)".
    /// </summary>
    internal static (string? Output, string? Why) Answer(string program, IEnumerable<string> arguments)
    {
        try
        {
            using var process = Process.Start(StartOf(program, arguments));
            if (process is null)
                return (null, "is missing");
            process.StandardInput.Close();
            var error = "";
            process.ErrorDataReceived += (_, line) => error = error.Length == 0 ? line.Data ?? "" : error;
            process.BeginErrorReadLine();
            var output = process.StandardOutput.ReadToEndAsync();
            if (!process.WaitForExit(Limit))
            {
                process.Kill(entireProcessTree: true);
                return (null, $"did not end within {Limit.TotalSeconds:0} s");
            }
            process.WaitForExit();
            return process.ExitCode == 0
                ? (output.GetAwaiter().GetResult().TrimEnd('\n'), null)
                : (
                    null,
                    $"failed ({(error.Length == 0 ? $"exit code {process.ExitCode}" : Engine.PathText.Show(error))})"
                );
        }
        catch (System.ComponentModel.Win32Exception)
        {
            return (null, "is missing");
        }
    }

    private static ProcessStartInfo StartOf(string program, IEnumerable<string> arguments)
    {
        var start = new ProcessStartInfo(program)
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            RedirectStandardInput = true,
        };
        foreach (var argument in arguments)
            start.ArgumentList.Add(argument);
        return start;
    }
}
