using System.Diagnostics;
using System.Globalization;
using Furlough.Cli.Demo;
using Furlough.Model;
using Furlough.Station;
using Furlough.Station.World;

namespace Furlough.Bench;

/// <summary>
/// A part of the fleet in a process of its own: stand-ins with one person's folders each, behind a connection that can
/// be made a poor one. Their volumes take as long as real ones would, and no two the same: two minutes for a folder,
/// within one.
/// </summary>
internal sealed class Bays(Process process) : IDisposable
{
    internal const string Verb = "bays";

    /// <summary>As many as one process has file descriptors for.</summary>
    internal const int Most = 1_000;

    private const long GB = 1_000_000_000;
    private static readonly string[] Folders = ["Documents", "Pictures"];

    internal static string NameOf(int bay) => string.Create(CultureInfo.InvariantCulture, $"bay-{bay:D5}");

    /// <summary>Starts the process; its stand-ins enrol automatically.</summary>
    internal static Bays Start(Uri service, string code, int first, int count, string folder)
    {
        string[] arguments =
        [
            Verb,
            service.ToString(),
            code,
            first.ToString(CultureInfo.InvariantCulture),
            count.ToString(CultureInfo.InvariantCulture),
            folder,
        ];
        return new Bays(
            Process.Start(
                new ProcessStartInfo(Environment.ProcessPath!, arguments)
                {
                    RedirectStandardInput = true,
                    RedirectStandardOutput = true,
                }
            )!
        );
    }

    /// <summary>Connections break from now on, each at a random moment; or hold again.</summary>
    internal void SetPoor(bool poor)
    {
        process.StandardInput.WriteLine(poor ? "poor" : "good");
        process.StandardInput.Flush();
    }

    /// <summary>An agent of it has ended on its own.</summary>
    internal bool HasFailed => process.HasExited;

    /// <summary>Ends it and tells how many connections were broken.</summary>
    internal async Task<int> EndAsync()
    {
        process.StandardInput.Close();
        var broken = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return int.Parse(broken, CultureInfo.InvariantCulture);
    }

    public void Dispose()
    {
        if (!process.HasExited)
            process.Kill();
        process.Dispose();
    }

    /// <summary>What the process does: runs its stand-ins until its input ends.</summary>
    internal static async Task<int> RunAsync(Uri service, string code, int first, int count, string folder)
    {
        // Agents are made for a process of their own, and wait in its pool here and there.
        ThreadPool.SetMinThreads(count, count);
        using var stop = new CancellationTokenSource();
        await using var relay = new Relay(service);
        var station = new StationHost(relay.Address, folder, speed: 1, _ => { }).RunAsync(
            [.. Enumerable.Range(first, count).Select(Spec)],
            code,
            () => { },
            stop.Token
        );
        var told = Task.Run(async () =>
        {
            while (await Console.In.ReadLineAsync() is { } word)
                relay.IsPoor = word == "poor";
        });
        // Agents end only when they are asked to.
        if (await Task.WhenAny(told, station) == station)
            await station;
        await stop.CancelAsync();
        await station;
        await Console.Out.WriteAsync(relay.Broken.ToString(CultureInfo.InvariantCulture));
        return 0;
    }

    private static MachineSpec Spec(int bay) =>
        new(
            NameOf(bay),
            $"Field Bay {bay / 40 + 1}",
            "Fenland Desk 4 (stand-in)",
            (ulong)(bay + 1) * 7919,
            [
                new VolumeSpec(
                    "C:",
                    "System",
                    Attachment.Internal,
                    Medium.Solid,
                    "journalled",
                    256 * GB,
                    120 * GB,
                    true,
                    true,
                    420e6,
                    2_500
                ),
                new VolumeSpec(
                    "D:",
                    "Data",
                    Attachment.Internal,
                    Medium.Rotating,
                    "journalled",
                    1_000 * GB,
                    80 * GB,
                    false,
                    true,
                    140e6,
                    160
                ),
            ],
            [
                new AccountSpec("keeper", 1900, true, [new FolderSpec("Documents", 2, 0, 20_000_000, "note", ".txt")]),
                new AccountSpec(
                    "asa.lind",
                    1001,
                    false,
                    [.. Folders.Select(f => new FolderSpec(f, 12, 0, (4 + bay * 7 % 9) * GB, "field", ".jpg"))]
                ),
            ],
            []
        );
}
