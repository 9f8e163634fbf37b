using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>
/// An original is deleted only while everything speaks for it, and that is asked at every start (I10, I13).
/// </summary>
public sealed class DiscardTests
{
    [Fact]
    public void A_discard_that_was_cut_short_deletes_nothing_more_while_the_live_place_is_away_I10()
    {
        var seen = 0;
        for (var (at, finished) = (1, false); !finished; at += 3)
        {
            var bench = Switched();
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            finished = bench.Run() is not null;
            if (finished)
                break;
            bench.Disk.Crash(new Random(at));
            bench.Machine.Attach("data", false);
            var (system, left) = (bench.Disk.Root("system"), Nodes(bench.Disk.Root("system")));
            var (original, end) = (
                bench.Machine.Describe(
                    bench.OwnFor(Bench.Source) with
                    {
                        Path =
                            $"{Layout.Dockets}/{Layout.FolderOf(bench.Docket.Originals[0], DocketSide.Original)}/{Layout.Original}",
                    }
                ),
                bench.Run()
            );
            // With the last file gone there is nothing left to confirm.
            if (original == "(missing)")
                continue;
            end.ShouldBe(RelocationState.Failed, $"crashed after operation {at}");
            bench.Recorder.Last.Failure!.Code.ShouldBe("volume-absent");
            Nodes(system).ShouldBe(left, $"crashed after operation {at}");
            seen++;
        }
        seen.ShouldBeGreaterThan(10);
    }

    [Theory]
    [InlineData(0, "shrunk")]
    [InlineData(1, "shrunk")]
    [InlineData(100, null)]
    public void A_live_folder_that_was_emptied_or_has_shrunk_a_lot_stops_it_and_asks_I13(int left, string? code)
    {
        var bench = Switched();
        using (
            var live = (SimulatedFolder)
                Reach.Folder(new SimulatedFolder(bench.Disk, bench.Disk.Root("data"), ""), bench.Target.Parts)
        )
            bench.Disk.ByOthers(() => Keep(live, left));
        bench
            .Run()
            .ShouldBe(
                code is null ? RelocationState.Finished : RelocationState.Failed,
                bench.Recorder.Last.Failure?.ToString()
            );
        if (code is null)
            return;
        bench.Recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe(code),
            f => f.Text.ShouldContain("files were relocated"),
            f => f.Text.ShouldContain(left == 1 ? "1 is there now" : "0 are there now")
        );
        bench.Docket = bench.Docket with
        {
            Id = Guid.CreateVersion7(),
            Discards = new DiscardTerms(DateTimeOffset.MinValue, null, [DiscardTerms.Shrunk]),
        };
        bench.Run().ShouldBe(RelocationState.Finished, bench.Recorder.Last.Failure?.ToString());
    }

    [Theory]
    [InlineData(null, RelocationState.Failed)]
    [InlineData("the disk is full", RelocationState.Finished)]
    public void The_machine_looks_at_its_own_clock_too_I10(string? reason, RelocationState end)
    {
        var bench = Switched();
        bench.Docket = bench.Docket with { Discards = new DiscardTerms(DateTimeOffset.MaxValue, reason, []) };
        bench.Run().ShouldBe(end);
        if (reason is null)
            bench.Recorder.Last.Failure!.Code.ShouldBe("original-kept");
        bench = Switched();
        bench.Docket = bench.Docket with { Discards = null };
        bench.Run().ShouldBe(RelocationState.Failed);
    }

    [Fact]
    public void Whoever_holds_a_folder_of_the_original_stops_it_I8()
    {
        var bench = Switched();
        bench.Machine.Open = ["sketcher (asa.lind): /system/somewhere"];
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("files-in-use");
    }

    private static Bench Switched()
    {
        var bench = new Bench(seed: 5);
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.Disk.FlushVolume("system");
        bench.Disk.FlushVolume("data");
        bench.Begin(DocketWork.Discard);
        return bench;
    }

    private static int Nodes(SimulatedNode node) => 1 + node.Entries.Values.Sum(Nodes);

    private static int Keep(SimulatedFolder folder, int left)
    {
        foreach (var entry in folder.List())
        {
            if (entry.Kind == NodeKind.Folder)
                left = Keep((SimulatedFolder)folder.OpenFolder(entry.Name), left);
            else if (left-- <= 0)
                folder.RemoveFile(entry.Name);
        }
        return Math.Max(0, left);
    }
}
