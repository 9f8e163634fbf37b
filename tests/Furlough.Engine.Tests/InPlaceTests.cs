using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>
/// Holdings to which no setting leads: their program knows one path, on which a link stands when they live elsewhere.
/// </summary>
public sealed class InPlaceTests
{
    public static TheoryData<Method, DocketWork> Work() =>
        new()
        {
            { Method.Cold, DocketWork.Relocate },
            { Method.Warm, DocketWork.Relocate },
            { Method.Exchange, DocketWork.Relocate },
            { Method.Adopt, DocketWork.Relocate },
            { Method.Cold, DocketWork.Return },
            { Method.Warm, DocketWork.Return },
            { Method.Exchange, DocketWork.Return },
            { Method.Cold, DocketWork.FallBack },
            { Method.Cold, DocketWork.Discard },
        };

    [Theory]
    [MemberData(nameof(Work))]
    public void A_crash_after_any_operation_leaves_all_of_it_on_its_path_or_nobody_signed_in_and_is_finished_afterwards_I2_I5(
        Method method,
        DocketWork work
    )
    {
        Bench
            .CrashAfterEvery(() => Begun(method, work), (_, _) => { })
            .ShouldBeGreaterThan(work == DocketWork.Discard ? 20 : 40);
    }

    [Theory]
    [MemberData(nameof(Work))]
    public void A_fault_at_any_operation_ends_with_all_of_it_on_its_path_and_the_account_let_in_I2_I7(
        Method method,
        DocketWork work
    )
    {
        foreach (var forGood in (bool[])[false, true])
            for (var at = 1; ; at++)
            {
                var bench = Begun(method, work);
                bench.Disk.FailWith = IoReason.Denied;
                bench.Disk.FailForGood = forGood;
                bench.Disk.FailAt = bench.Disk.Operations + at;
                var end = bench.Settle();
                if (!bench.Disk.Injected)
                    break;
                // What falls back has lost its live place; the link to it cannot be made again on a disk that does not
                // work any more.
                if (!(forGood && work == DocketWork.FallBack))
                    bench.LivePlaceFault().ShouldBeNull($"after a fault at operation {at} ({end})");
                if (end != bench.Good)
                    bench.Recorder.Last.Failure.ShouldNotBeNull($"after a fault at operation {at}");
            }
    }

    [Fact]
    public void What_stands_there_again_when_the_link_is_left_sends_everything_back_I7()
    {
        var bench = new Bench(inPlace: true);
        bench.Journal.Before = what =>
        {
            // Between setting aside and reopening someone makes a folder of that name.
            if (!what.StartsWith("begin Reopen", StringComparison.OrdinalIgnoreCase))
                return;
            using var home = Home(bench);
            if (home.Find("Pictures") is null)
                home.MakeFolder("Pictures", 0x1ED).Dispose();
        };
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("link-not-there");
        bench
            .Machine.Describe(
                bench.OwnFor(Bench.Source) with
                {
                    Path = bench.OwnFor(Bench.Source).Path + "/" + Layout.Original,
                }
            )
            .ShouldBe(bench.Before, "what someone made is not overwritten, and the original waits beside it");
    }

    [Fact]
    public void What_all_accounts_share_is_relocated_when_nobody_uses_it_and_no_account_is_kept_out()
    {
        var bench = new Bench(inPlace: true);
        bench.Docket = bench.Docket with { Holding = new HoldingName("", HoldingKind.App, "viewer"), AccountId = "0" };
        bench.Machine.Open = ["viewer (asa.lind): /system/home/asa.lind/Pictures/plot-0"];
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("files-in-use");
        bench.Machine.Open = [];
        bench.Docket = bench.Docket with
        {
            Id = Guid.CreateVersion7(),
            Supersession = 2,
            Supersedes = [bench.Docket.Id],
        };
        bench.Journal.Before = _ => bench.Machine.SignInAllowed.ShouldBeTrue();
        bench.Run().ShouldBe(RelocationState.Switched, bench.Recorder.Last.Failure?.ToString());
        bench.Recorder.Last.Notes.ShouldNotContain(n => n.Contains("sign-in", StringComparison.Ordinal));
    }

    [Fact]
    public void A_link_that_somebody_took_away_stops_a_return_and_changes_nothing_I9()
    {
        var bench = Begun(Method.Cold, DocketWork.Return);
        using (var home = Home(bench))
            home.RemoveFile("Pictures");
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("pointer-changed"),
            f => f.Text.ShouldContain("/system/home/asa.lind/Pictures (a link) reads `(nothing)`"),
            f => f.Where.ShouldContain("where its settings lead (between")
        );
        bench.Machine.Describe(bench.Target).ShouldBe(bench.Before);
    }

    private static Bench Begun(Method method, DocketWork work)
    {
        var bench = new Bench(method: method, inPlace: true);
        if (work == DocketWork.Relocate)
            return bench;
        bench.Run().ShouldBe(bench.Good, bench.Recorder.Last.Failure?.ToString());
        bench.EndFault().ShouldBeNull();
        bench.Disk.FlushVolume("system");
        bench.Disk.FlushVolume("data");
        bench.Begin(work);
        return bench;
    }

    private static IFolder Home(Bench bench)
    {
        using var root = new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), "");
        return Reach.Folder(root, ["home", "asa.lind"]);
    }
}
