using System.Diagnostics;
using Furlough.Platform.Tests;

namespace Furlough.EndToEnd.Tests;

/// <summary>A screen that nobody sees, under a free number, for programs that need one.</summary>
public sealed class Screen : IDisposable
{
    private readonly Process _server = Process.Start(
        new ProcessStartInfo("Xvfb", ["-displayfd", "1", "-screen", "0", "1024x768x24", "-nolisten", "tcp"])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        }
    )!;

    /// <summary>Starts it and waits until it can be drawn on.</summary>
    public Screen()
    {
        _server.ErrorDataReceived += (_, _) => { };
        _server.BeginErrorReadLine();
        Display = ":" + _server.StandardOutput.ReadLine();
    }

    /// <summary>How programs know it: ":1".</summary>
    public string Display { get; }

    /// <summary>It takes its socket and lock along.</summary>
    public void Dispose()
    {
        LinuxTree.Sh($"kill {_server.Id}");
        _server.WaitForExit();
        _server.Dispose();
    }
}
