using System.Runtime.Versioning;
using System.ServiceProcess;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>The agent as a service of Windows, which the system starts and stops. Its log is a file in its data folder.</summary>
/// <param name="serve">Serves the machine until it is told to stop; what it ends with.</param>
[SupportedOSPlatform("windows")]
internal sealed class WindowsService(Func<CancellationToken, Task<int>> serve) : ServiceBase
{
    /// <summary>Its name, as the installer registers it.</summary>
    internal const string Name = "FurloughAgent";

    /// <summary>Above this size the log begins anew; the former one is kept beside it.</summary>
    private const long LongestLog = 10 << 20;

    private readonly CancellationTokenSource _stop = new();
    private Task? _serving;

    /// <summary>Serves until the system stops it; what it ended with.</summary>
    internal static int Run(string data, Func<CancellationToken, Task<int>> serve)
    {
        var file = Path.Combine(PrivateFolder.Make(data).FullName, "agent.log");
        if (File.Exists(file) && new FileInfo(file).Length > LongestLog)
            File.Move(file, file + ".1", overwrite: true);
        using var log = TextWriter.Synchronized(
            new StreamWriter(new FileStream(file, FileMode.Append, FileAccess.Write, FileShare.ReadWrite))
            {
                AutoFlush = true,
            }
        );
        Console.SetOut(log);
        Console.SetError(log);
        using var service = new WindowsService(serve) { ServiceName = Name };
        Run(service);
        return service.ExitCode;
    }

    /// <inheritdoc/>
    protected override void OnStart(string[] args) => _serving = ServeAsync();

    /// <inheritdoc/>
    protected override void OnStop()
    {
        _stop.Cancel();
        _serving?.Wait(TimeSpan.FromSeconds(20));
    }

    /// <inheritdoc/>
    protected override void OnShutdown() => OnStop();

    /// <inheritdoc/>
    protected override void Dispose(bool disposing)
    {
        if (disposing)
            _stop.Dispose();
        base.Dispose(disposing);
    }

    private async Task ServeAsync()
    {
        // The system waits for the start to end.
        await Task.Yield();
        ExitCode = await serve(_stop.Token);
        // It starts a service again that ended without being told to.
        if (ExitCode != 0)
            Environment.Exit(ExitCode);
        if (!_stop.IsCancellationRequested)
            Stop();
    }
}
