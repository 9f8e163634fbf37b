using System.Diagnostics;
using System.Globalization;
using Furlough.Platform.Tests;
using Shouldly;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// A whole Debian machine with an init system of its own, on a host of the test's network and with a second volume at
/// /mnt/roomy: the built packages can be installed there, and its power can be cut.
/// </summary>
internal sealed class BootedMachine : IDisposable
{
    private const string Template = "/var/cache/furlough-tests/machine";
    private readonly Lan _lan;
    private readonly string _name;
    private readonly string _folder;
    private Process? _container;

    internal BootedMachine(Lan lan, string folder, string name)
    {
        (_lan, _name, _folder) = (lan, name, Directory.CreateDirectory($"{folder}/{name}").FullName);
        Address = lan.Host(name);
        LinuxTree.Sh(
            $"cp -a {Template} {Root} && truncate -s 600M {_folder}/disk && mkfs.ext4 -q {_folder}/disk && mkdir "
                + $"{_folder}/roomy && mount -o loop {_folder}/disk {_folder}/roomy"
        );
        File.WriteAllText($"{Root}/etc/machine-id", $"{Guid.NewGuid():N}\n");
        File.WriteAllText($"{Root}/etc/hostname", name + "\n");
        foreach (var package in Directory.EnumerateFiles($"{Field.Repository}/artifacts/packages", "*_amd64.deb"))
            File.Copy(package, $"{Root}/root/{Path.GetFileName(package).Split('_')[0]}.deb");
        Boot();
    }

    internal string Address { get; }

    /// <summary>Its root folder, seen from outside.</summary>
    internal string Root => $"{_folder}/root";

    /// <summary>Starts it and waits until everything that starts with it has.</summary>
    internal void Boot()
    {
        _container = Process.Start(
            new ProcessStartInfo(
                "systemd-nspawn",
                [
                    "-D",
                    Root,
                    "--boot",
                    "--register=no",
                    "--keep-unit",
                    "--console=pipe",
                    $"--hostname={_name}",
                    $"--bind={_folder}/roomy:/mnt/roomy",
                    $"--network-namespace-path=/run/netns/{_lan.Space(_name)}",
                ]
            )
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
                RedirectStandardInput = true,
            }
        )!;
        _ = _container.StandardOutput.ReadToEndAsync();
        _ = _container.StandardError.ReadToEndAsync();
        Field.WaitFor(
            () => Init() is not null && Try("systemctl", "is-system-running").Out.Trim() is "running" or "degraded",
            $"the start of {_name}"
        );
    }

    /// <summary>Cuts its power.</summary>
    internal void CutPower()
    {
        LinuxTree.Sh($"kill -KILL {Init()}");
        _container!.WaitForExit();
    }

    /// <summary>Shuts it down as people do.</summary>
    internal void ShutDown()
    {
        // The connection to it may end before the command does.
        Try("systemctl", "poweroff");
        _container!.WaitForExit();
    }

    /// <summary>Runs a command there, which has to go well; what it printed.</summary>
    internal string Run(string shell)
    {
        var done = Try("bash", "-c", shell);
        done.Code.ShouldBe(0, $"{_name}: {shell}\n{done}");
        return done.Out;
    }

    /// <summary>Runs a program there.</summary>
    internal Outcome Try(string program, params string[] arguments)
    {
        var start = new ProcessStartInfo(
            "nsenter",
            ["-t", Init() ?? "0", "-m", "-u", "-i", "-n", "-p", "-C", "-r", "-w", program, .. arguments]
        )
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["DEBIAN_FRONTEND"] = "noninteractive";
        using var process = Process.Start(start)!;
        return Field.Finish(process);
    }

    public void Dispose()
    {
        if (_container is { HasExited: false })
            CutPower();
        _container?.Dispose();
        LinuxTree.Sh($"umount {_folder}/roomy");
    }

    /// <summary>The process of its init system, as this machine numbers it.</summary>
    private string? Init() =>
        LinuxTree
            .Sh(
                $"pgrep -P {_container!.Id.ToString(CultureInfo.InvariantCulture)} -f '^/usr/lib/systemd/systemd' || true"
            )
            .Trim()
            is { Length: > 0 } id
            ? id
            : null;
}
