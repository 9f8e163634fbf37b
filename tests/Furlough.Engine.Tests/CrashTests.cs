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
    [InlineData(Method.Warm)]
    [InlineData(Method.Exchange)]
    [InlineData(Method.Adopt)]
    public void A_crash_after_any_operation_leaves_the_live_place_complete_and_is_finished_afterwards_I2_I4_I5(
        Method method
    )
    {
        for (var at = 1; ; at++)
        {
            var bench = new Bench(method: method);
            var (fault, finished) = CrashedAt(bench, at, new Random(at));
            fault.ShouldBeNull($"crashed after operation {at}");
            if (!finished)
                continue;
            at.ShouldBeGreaterThan(60);
            return;
        }
    }

    [Theory]
    [InlineData(Method.Cold, DocketWork.Return, false)]
    [InlineData(Method.Cold, DocketWork.Return, true)]
    [InlineData(Method.Warm, DocketWork.Return, false)]
    [InlineData(Method.Warm, DocketWork.Return, true)]
    [InlineData(Method.Exchange, DocketWork.Return, false)]
    [InlineData(Method.Cold, DocketWork.FallBack, false)]
    [InlineData(Method.Cold, DocketWork.Discard, false)]
    public void A_crash_after_any_operation_of_a_return_a_fall_back_or_a_discard_is_finished_afterwards_I2_I5_I10(
        Method method,
        DocketWork work,
        bool worked
    )
    {
        for (var (at, finished) = (1, false); !finished; at++)
        {
            var bench = new Bench(method: method);
            bench.Run().ShouldBe(bench.Good);
            bench.Disk.FlushVolume("system");
            bench.Disk.FlushVolume("data");
            bench.Begin(work);
            if (worked)
                bench.WorkAtTarget();
            (var fault, finished) = CrashedAt(bench, at, new Random(at));
            fault.ShouldBeNull($"crashed after operation {at}");
        }
    }

    /// <summary>The mutation list: with any one flush taken out of the engine, some crash is not survived.</summary>
    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Warm)]
    [InlineData(Method.Exchange)]
    [InlineData(Method.Adopt)]
    public void An_engine_without_any_one_of_its_flushes_is_found_out_I4(Method method)
    {
        var clean = new Bench(method: method);
        var flushes = FlushesOf(clean);
        flushes.Count.ShouldBeGreaterThan(3);
        flushes.Remove(OfSource);
        // A rename is whole on the disks simulated here, so that flushing either of its folders is enough. Both are
        // flushed for those on which it is not.
        string[][] together = [.. OfOneRename.Where(p => p.All(flushes.ContainsKey))];
        var unnoticed = flushes
            .Keys.Except(together.SelectMany(p => p))
            .Select(f => (string[])[f])
            .Concat(together)
            .Where(f => !IsFoundOut(method, f, f.Min(one => flushes[one])))
            .Select(f => string.Join(" and ", f))
            .ToList();
        unnoticed.ShouldBeEmpty($"of {flushes.Count}: {string.Join(", ", flushes.Keys)}");
    }

    /// <summary>
    /// The flush of the source keeps no data through a crash: it makes later writes show (see what people do during a
    /// warm copy).
    /// </summary>
    internal const string OfSource = "copy: volume system";

    private static readonly string[][] OfOneRename =
    [
        ["repoint: folder People/asa.lind", "repoint: folder .furlough-dockets/(own)-copy"],
        ["repoint: folder People/asa.lind", "repoint: folder home/asa.lind"],
        ["set-aside: folder home/asa.lind", "set-aside: folder .furlough-dockets/(own)-original"],
    ];

    /// <summary>The flushes of a run, each with the number of the operation at which it comes first.</summary>
    internal static Dictionary<string, int> FlushesOf(Bench bench)
    {
        Dictionary<string, int> flushes = [];
        var begun = bench.Disk.Operations;
        bench.Disk.Forgets = (what, where) =>
        {
            flushes.TryAdd(Named(bench, what, where), bench.Disk.Operations - begun);
            return false;
        };
        bench.Run();
        return flushes;
    }

    /// <param name="first">The operation before which none of them comes, so that no crash shows that it is
    /// missing.</param>
    private static bool IsFoundOut(Method method, string[] flushes, int first)
    {
        for (var seed = 1; seed <= 6; seed++)
        for (var (at, finished) = (first, false); !finished; at++)
        {
            var bench = new Bench(seed, method);
            bench.Disk.Forgets = (what, where) => flushes.Contains(Named(bench, what, where));
            (var fault, finished) = CrashedAt(bench, at, new Random(seed * 1_000 + at));
            if (fault is not null)
                return true;
        }
        return false;
    }

    /// <summary>A flush by the step that asks for it, and what is flushed.</summary>
    internal static string Named(Bench bench, string what, string where) =>
        $"{bench.Journal.Read(bench.Docket.Id).Begun?.Word()}: {what} "
        + $"{where.Replace($"{bench.Docket.Id:N}", "(own)", StringComparison.Ordinal)}";

    /// <summary>Crashes after an operation, or at the end; runs on and says what is wrong.</summary>
    private static (string? Fault, bool Finished) CrashedAt(Bench bench, int at, Random chance)
    {
        bench.Disk.CrashAt = bench.Disk.Operations + at;
        var first = bench.Run();
        bench.Disk.Crash(chance);
        if ((bench.LivePlaceFault() ?? bench.TornReceipt()) is { } early)
            return (early, false);
        if (first is null)
            first = bench.Run();
        else if (first == bench.Good)
            return (bench.EndFault(), true);
        return (first == bench.Good ? bench.EndFault() : $"it ended as {first}: {bench.Recorder.Last.Failure}", false);
    }

    public static TheoryData<Method, IoReason, bool> Faults()
    {
        var all = new TheoryData<Method, IoReason, bool>();
        foreach (var method in Enum.GetValues<Method>().Where(m => m.MovesData()))
        foreach (
            var reason in (IoReason[])
                [IoReason.Unreadable, IoReason.NoSpace, IoReason.Denied, IoReason.ReadOnly, IoReason.Gone]
        )
        foreach (var forGood in (bool[])[false, true])
            all.Add(method, reason, forGood);
        return all;
    }

    [Theory]
    [MemberData(nameof(Faults))]
    public void A_fault_at_any_operation_ends_with_everything_at_one_complete_place_I2_I7(
        Method method,
        IoReason reason,
        bool forGood
    )
    {
        for (var at = 1; ; at++)
        {
            var bench = new Bench(method: method);
            bench.Disk.FailWith = reason;
            bench.Disk.FailForGood = forGood;
            bench.Disk.FailAt = bench.Disk.Operations + at;
            var end = bench.Settle();
            if (!bench.Disk.Injected)
                return;
            bench.LivePlaceFault().ShouldBeNull($"after a fault at operation {at} ({end})");
            if (end != bench.Good)
                bench.Recorder.Last.Failure.ShouldNotBeNull();
            if (!bench.Machine.SignInAllowed)
                bench.Recorder.Last.Failure!.LockedOut.ShouldBe("asa.lind", $"operation {at}");
        }
    }

    public static TheoryData<Method, DocketWork> Everything() =>
        new()
        {
            { Method.Cold, DocketWork.Relocate },
            { Method.Warm, DocketWork.Relocate },
            { Method.Exchange, DocketWork.Relocate },
            { Method.Adopt, DocketWork.Relocate },
            { Method.Warm, DocketWork.Return },
            { Method.Cold, DocketWork.Return },
            { Method.Exchange, DocketWork.Return },
            { Method.Cold, DocketWork.FallBack },
            { Method.Cold, DocketWork.Discard },
        };

    [Theory]
    [MemberData(nameof(Everything))]
    public void A_defect_at_any_operation_is_reported_and_ends_no_more_than_its_docket_I2(
        Method method,
        DocketWork work
    )
    {
        for (var at = 1; ; at++)
        {
            var bench = new Bench(method: method);
            if (work != DocketWork.Relocate)
            {
                bench.Run().ShouldBe(bench.Good);
                bench.Begin(work);
            }
            var before = bench.Recorder.Changes.Count;
            bench.Disk.Defect = () => new InvalidCastException("a defect");
            bench.Disk.FailAt = bench.Disk.Operations + at;
            var end = bench.Run();
            if (!bench.Disk.Injected)
            {
                at.ShouldBeGreaterThan(10);
                return;
            }
            bench.LivePlaceFault().ShouldBeNull($"after a defect at operation {at} ({end})");
            if (end == bench.Good)
                continue;
            bench
                .Recorder.Changes.Skip(before)
                .ShouldContain(
                    c => c.Failure != null && c.Failure.Text.Contains("a defect"),
                    $"operation {at} ({end})"
                );
            if (end != RelocationState.Waiting)
                bench.Machine.SignInAllowed.ShouldBeTrue($"operation {at} ({end})");
            // The next docket finds what the defect left.
            bench.Disk.FailAt = 0;
            if (end == RelocationState.Waiting)
                bench.Run().ShouldNotBe(RelocationState.Waiting, $"operation {at}");
        }
    }

    [Theory]
    [InlineData(Method.Cold, false, IoReason.Unreadable)]
    [InlineData(Method.Cold, false, IoReason.NoSpace)]
    [InlineData(Method.Cold, false, IoReason.Gone)]
    [InlineData(Method.Cold, true, IoReason.Denied)]
    [InlineData(Method.Warm, false, IoReason.Denied)]
    [InlineData(Method.Warm, false, IoReason.Gone)]
    [InlineData(Method.Warm, true, IoReason.NoSpace)]
    public void A_fault_at_any_operation_of_a_return_loses_neither_what_lives_nor_the_original_I1_I2(
        Method method,
        bool worked,
        IoReason reason
    )
    {
        for (var at = 1; ; at++)
        {
            var bench = new Bench(method: method);
            bench.Run().ShouldBe(bench.Good);
            var aside = bench.OwnFor(Bench.Source) with
            {
                Path = bench.OwnFor(Bench.Source).Path + "/" + Layout.Original,
            };
            var original = bench.Before;
            bench.Begin(DocketWork.Return);
            if (worked)
                bench.WorkAtTarget();
            bench.Disk.FailWith = reason;
            bench.Disk.FailForGood = at % 2 == 0;
            bench.Disk.FailAt = bench.Disk.Operations + at;
            var end = bench.Settle();
            if (!bench.Disk.Injected)
                return;
            bench.LivePlaceFault().ShouldBeNull($"after a fault at operation {at} ({end})");
            if (end == bench.Good || bench.Recorder.Last.Live == Live.Source)
                continue;
            // What could not be taken back while the volume failed is done by the next docket.
            if (bench.Machine.Describe(aside) == original)
                continue;
            bench.Docket = bench.Docket with
            {
                Id = Guid.CreateVersion7(),
                Supersession = bench.Docket.Supersession + 1,
                Supersedes = [.. bench.Docket.Supersedes, bench.Docket.Id],
            };
            bench.Run().ShouldBe(bench.Good, $"after a fault at operation {at}: {bench.Recorder.Last.Failure}");
            bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before, $"after a fault at operation {at}");
        }
    }

    [Fact]
    [Trait("Category", "soak")]
    public void Random_trees_and_several_crashes_in_a_row_end_well()
    {
        for (var seed = 1; seed <= Seeds; seed++)
        {
            var random = new Random(seed);
            var bench = new Bench(seed, (Method)random.Next(4));
            for (var crashes = random.Next(1, 5); crashes > 0; crashes--)
            {
                bench.Disk.CrashAt = bench.Disk.Operations + random.Next(1, 400);
                if (bench.Run() is not null)
                    break;
                bench.Disk.Crash(random);
                bench.LivePlaceFault().ShouldBeNull($"seed {seed}");
            }
            bench.Disk.CrashAt = 0;
            bench
                .Run()
                .ShouldBeOneOf(
                    [RelocationState.Switched, RelocationState.Finished],
                    $"seed {seed}: {bench.Recorder.Last.Failure}"
                );
            bench.LivePlaceFault().ShouldBeNull($"seed {seed}");
        }
    }

    /// <summary>
    /// With the warm method people go on working; what they did until they were locked out is at the target, nothing
    /// else and nothing half.
    /// </summary>
    [Fact]
    [Trait("Category", "soak")]
    public void What_people_do_during_a_warm_copy_arrives_whole_I2_I3()
    {
        for (var seed = 1; seed <= Seeds; seed++)
        {
            var bench = new Bench(seed, Method.Warm);
            bench.Machine.Hears = (SimulatedMachine.Hearing)(seed % 3);
            var people = new People(bench, new Random(seed));
            var random = new Random(seed);
            bench.Disk.Meanwhile = people.Work;
            for (var crashes = random.Next(3); crashes > 0; crashes--)
            {
                bench.Disk.CrashAt = bench.Disk.Operations + random.Next(1, 600);
                if (bench.Run() is not null)
                    break;
                bench.Disk.FlushVolume("system");
                bench.Disk.Crash(random);
            }
            bench.Disk.CrashAt = 0;
            bench.Run().ShouldBe(RelocationState.Switched, $"seed {seed}: {bench.Recorder.Last.Failure}");
            bench.Disk.Meanwhile = () => { };
            var original = bench.OwnFor(Bench.Source) with
            {
                Path = bench.OwnFor(Bench.Source).Path + "/" + Layout.Original,
            };
            bench
                .Machine.Describe(bench.Target)
                .ShouldBe(bench.Machine.Describe(original), $"seed {seed}, {people.Deeds} deeds");
        }
    }

    private static int Seeds =>
        int.Parse(
            Environment.GetEnvironmentVariable("FURLOUGH_SEEDS") ?? "500",
            System.Globalization.CultureInfo.InvariantCulture
        );
}
