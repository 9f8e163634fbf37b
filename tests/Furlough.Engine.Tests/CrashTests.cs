using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

public sealed class CrashTests
{
    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Exchange)]
    public void A_crash_after_any_operation_leaves_the_live_place_complete_and_is_finished_afterwards_I2_I4_I5(Method method)
    {
        for (var at = 1; ; at++)
        {
            var bench = new Bench(method: method);
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            var first = bench.Run();
            if (first is not null)
            {
                first.ShouldBeOneOf(RelocationState.Switched, RelocationState.Finished);
                at.ShouldBeGreaterThan(60);
                return;
            }
            bench.Disk.Crash(new Random(at));
            bench.LivePlaceFault().ShouldBeNull($"after a crash at operation {at}");
            bench.Run().ShouldBe(method == Method.Cold ? RelocationState.Switched : RelocationState.Finished, $"after a crash at operation {at}: {bench.Recorder.Last.Failure}");
            bench.LivePlaceFault().ShouldBeNull($"in the end, after a crash at operation {at}");
            bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(bench.Target));
            bench.Machine.SignInAllowed.ShouldBeTrue();
            if (method == Method.Cold) bench.Machine.Describe(Original(bench)).ShouldBe(bench.Before, $"the original after a crash at operation {at}");
        }
    }

    [Theory]
    [InlineData(IoReason.Unreadable, false)]
    [InlineData(IoReason.NoSpace, false)]
    [InlineData(IoReason.NoSpace, true)]
    public void A_fault_at_any_operation_ends_with_everything_at_one_complete_place_I2_I7(IoReason reason, bool forGood)
    {
        for (var at = 1; ; at++)
        {
            var bench = new Bench();
            bench.Disk.FailWith = reason;
            bench.Disk.FailForGood = forGood;
            bench.Disk.FailAt = bench.Disk.Operations + at;
            var end = Settle(bench);
            if (!bench.Disk.Injected) return;
            bench.LivePlaceFault().ShouldBeNull($"after a fault at operation {at} ({end})");
            if (end != RelocationState.Switched) bench.Recorder.Last.Failure.ShouldNotBeNull();
        }
    }

    /// <summary>Runs on until the docket has ended; a fault in the journal itself ends the process, and the disk works again after its restart.</summary>
    private static RelocationState Settle(Bench bench)
    {
        for (var i = 0; i < 5; i++)
        {
            try
            {
                if (bench.Run() is { } end)
                {
                    bench.Disk.FailAt = 0;
                    return end;
                }
            }
            catch (IoFault) when (bench.Disk.Injected)
            {
            }
            bench.Disk.FailAt = 0;
        }
        throw new InvalidOperationException("The docket never ends.");
    }

    [Fact]
    [Trait("Category", "soak")]
    public void Random_trees_and_several_crashes_in_a_row_end_well()
    {
        var seeds = int.Parse(Environment.GetEnvironmentVariable("FURLOUGH_SEEDS") ?? "500", System.Globalization.CultureInfo.InvariantCulture);
        for (var seed = 1; seed <= seeds; seed++)
        {
            var random = new Random(seed);
            var bench = new Bench(seed, random.Next(4) == 0 ? Method.Exchange : Method.Cold);
            for (var crashes = random.Next(1, 5); crashes > 0; crashes--)
            {
                bench.Disk.CrashAt = bench.Disk.Operations + random.Next(1, 400);
                if (bench.Run() is not null) break;
                bench.Disk.Crash(random);
                bench.LivePlaceFault().ShouldBeNull($"seed {seed}");
            }
            bench.Disk.CrashAt = 0;
            bench.Run().ShouldBeOneOf([RelocationState.Switched, RelocationState.Finished], $"seed {seed}: {bench.Recorder.Last.Failure}");
            bench.LivePlaceFault().ShouldBeNull($"seed {seed}");
        }
    }

    private static Place Original(Bench bench) => new("system", $"home/asa.lind/{Layout.FolderOf(bench.Docket.Id)}/{Layout.Original}");
}
