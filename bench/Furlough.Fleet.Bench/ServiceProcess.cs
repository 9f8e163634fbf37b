using System.Diagnostics;
using System.Globalization;

namespace Furlough.Bench;

/// <summary>The service under measurement, in a process of its own.</summary>
internal sealed class ServiceProcess(string program, string folder) : IDisposable
{
    private Process? _process;
    private int _port;
    private long _mostBytes;
    private TimeSpan _spent;

    internal Uri Address => new($"http://127.0.0.1:{_port}/");

    internal string Folder => folder;

    /// <summary>Processor time of all its lives.</summary>
    internal TimeSpan Spent => _spent + Now(p => p.TotalProcessorTime, TimeSpan.Zero);

    /// <summary>The most memory that any of its lives held, in bytes.</summary>
    internal long MostBytes => Math.Max(_mostBytes, Now(p => p.PeakWorkingSet64, 0));

    /// <summary>Starts it; where it was before, once it was there.</summary>
    internal void Start()
    {
        string[] arguments =
        [
            "service",
            "start",
            "--data",
            folder,
            "--port",
            _port.ToString(CultureInfo.InvariantCulture),
        ];
        _process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true })!;
        _port = new Uri(_process.StandardOutput.ReadLine()!["listening on ".Length..]).Port;
    }

    /// <summary>Ends it without a warning.</summary>
    internal void Kill()
    {
        (_mostBytes, _spent) = (MostBytes, Spent);
        _process!.Kill(entireProcessTree: true);
        _process.WaitForExit();
        _process.Dispose();
        _process = null;
    }

    public void Dispose()
    {
        if (_process is not null)
            Kill();
    }

    private T Now<T>(Func<Process, T> read, T gone)
    {
        if (_process is null)
            return gone;
        _process.Refresh();
        return read(_process);
    }
}
