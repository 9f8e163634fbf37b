using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>An agent runs for months: what its threads read files with goes when they go.</summary>
public sealed class ReadingMemoryTests : IDisposable
{
    private const int Crews = 400,
        Threads = 4;
    private readonly LinuxTree _tree = new("ext4", 64);

    public void Dispose() => _tree.Dispose();

    [Fact]
    public void Threads_that_have_gone_leave_no_memory_behind()
    {
        File.WriteAllBytes($"{_tree.Root}/data/plate", new byte[1 << 20]);
        var machine = _tree.Machine();
        using var volume = machine.Volumes.Require(
            machine.Surveyor.Take([], [], _ => false, CancellationToken.None).Volumes.First(v => !v.System).Identity
        );
        using var root = volume.OpenRoot();
        var before = Resident();
        for (var crew = 0; crew < Crews; crew++)
        {
            var threads = Enumerable
                .Range(0, Threads)
                .Select(_ => new Thread(() =>
                {
                    using var file = root.OpenFile("plate");
                    file.ReadBack(new ByteCounter(), CancellationToken.None).SizeBytes.ShouldBe(1 << 20);
                }))
                .ToList();
            threads.ForEach(t => t.Start());
            threads.ForEach(t => t.Join());
        }
        GC.Collect();
        // All of them would have kept 1.6 GB; what other tests take meanwhile is far less.
        (Resident() - before).ShouldBeLessThan(800_000_000);
    }

    private static long Resident() =>
        long.Parse(
            File.ReadLines("/proc/self/status")
                .First(l => l.StartsWith("VmRSS:", StringComparison.Ordinal))
                .Split(' ', StringSplitOptions.RemoveEmptyEntries)[1],
            CultureInfo.InvariantCulture
        ) * 1024;
}
