using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>A link that stays at the former place, for programs that know only the old path.</summary>
public sealed class LinkTests
{
    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Warm)]
    [InlineData(Method.Exchange)]
    [InlineData(Method.Adopt)]
    public void It_leads_to_the_target_after_any_crash_and_gives_way_when_the_holding_comes_back_I2_I4_I7(Method method)
    {
        for (var (at, finished) = (1, false); !finished; at++)
        {
            var bench = Bench(method);
            finished = CrashedAt(bench, at, RelocationState.Switched, RelocationState.Finished);
            Link(bench).ShouldBe(bench.Machine.Show(bench.Target), $"crashed after operation {at}");
            Owner(bench).ShouldBe(1001u);
        }
        for (var (at, finished) = (1, false); !finished; at++)
        {
            var bench = Bench(method);
            bench.Run();
            Flush(bench);
            bench.Begin(DocketWork.Return);
            finished = CrashedAt(bench, at, RelocationState.Returned);
            bench.EndFault().ShouldBeNull($"the return crashed after operation {at}");
            Link(bench).ShouldBeNull();
        }
    }

    [Fact]
    public void It_gives_way_to_the_original_when_the_target_is_lost_I7()
    {
        var bench = Bench(Method.Cold);
        bench.Run();
        bench.Begin(DocketWork.FallBack);
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.EndFault().ShouldBeNull();
    }

    [Theory]
    [InlineData(DocketWork.Relocate)]
    [InlineData(DocketWork.Return)]
    public void What_is_undone_leaves_the_link_as_it_was_before_I2_I7(DocketWork work)
    {
        for (var at = 1; ; at++)
        {
            var bench = Bench(Method.Cold);
            if (work == DocketWork.Return)
            {
                bench.Run();
                bench.Begin(work);
            }
            bench.Disk.FailWith = IoReason.Unreadable;
            bench.Disk.FailAt = bench.Disk.Operations + at;
            var end = bench.Settle();
            if (!bench.Disk.Injected)
                return;
            bench.LivePlaceFault().ShouldBeNull($"after a fault at operation {at} ({end})");
            var atTarget = bench.Machine.Setting("one") == bench.Machine.Show(bench.Target);
            if (
                end is RelocationState.Failed
                && bench.Recorder.Last.Notes.All(n => !n.Contains("could not", StringComparison.Ordinal))
            )
                Link(bench)
                    .ShouldBe(
                        atTarget ? bench.Machine.Show(bench.Target) : null,
                        $"after a fault at operation {at}: {bench.Recorder.Last.Failure}"
                    );
        }
    }

    [Fact]
    public void Another_link_or_folder_at_the_former_place_is_left_alone_I7()
    {
        var bench = Bench(Method.Cold);
        bench.Run();
        using (var home = Home(bench))
        {
            home.RemoveFile("Pictures");
            home.MakeLink("Pictures", "/elsewhere");
        }
        bench.Begin(DocketWork.Return);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("target-not-empty");
        Link(bench).ShouldBe("/elsewhere");
    }

    private static Bench Bench(Method method)
    {
        var bench = new Bench(method: method);
        bench.Docket = bench.Docket with { LeavesLink = true };
        return bench;
    }

    /// <summary>Crashes after an operation, or at the end; runs on. True when nothing was left to crash.</summary>
    private static bool CrashedAt(Bench bench, int at, params RelocationState[] good)
    {
        bench.Disk.CrashAt = bench.Disk.Operations + at;
        var first = bench.Run();
        bench.Disk.Crash(new Random(at));
        bench.LivePlaceFault().ShouldBeNull($"crashed after operation {at}");
        (first ?? bench.Run())!.Value.ShouldBeOneOf(
            good,
            $"crashed after operation {at}: {bench.Recorder.Last.Failure}"
        );
        return first is not null;
    }

    private static string? Link(Bench bench)
    {
        using var home = Home(bench);
        return home.Find("Pictures") is { Kind: NodeKind.Link } ? home.ReadLink("Pictures") : null;
    }

    private static uint Owner(Bench bench)
    {
        using var home = Home(bench);
        return home.Find("Pictures")!.Value.Owner;
    }

    private static IFolder Home(Bench bench)
    {
        using var root = new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), "");
        return Reach.Folder(root, ["home", "asa.lind"]);
    }

    private static void Flush(Bench bench)
    {
        bench.Disk.FlushVolume("system");
        bench.Disk.FlushVolume("data");
    }
}
