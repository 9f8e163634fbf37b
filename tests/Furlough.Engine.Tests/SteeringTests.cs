using System.Diagnostics;
using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Pauses, backing out manually, limits, files in use, and falling back.</summary>
public sealed class SteeringTests
{
    [Theory]
    [InlineData(Wish.Pause, "run-paused")]
    [InlineData(Wish.OutsideHours, "outside-hours")]
    [InlineData(Wish.AwaitPerson, "person-wanted")]
    public void A_wish_to_rest_during_a_warm_copy_keeps_what_is_copied_and_lets_nobody_wait(Wish wish, string reason)
    {
        var bench = new Bench(method: Method.Warm);
        bench.Recorder.OnChange = change => bench.Permits.Wish = change.Step == Step.Prove ? wish : bench.Permits.Wish;
        bench.Run().ShouldBe(RelocationState.Waiting);
        bench.Recorder.Last.Failure!.Code.ShouldBe(reason);
        bench.Machine.SignInAllowed.ShouldBeTrue();
        bench.Recorder.OnChange = _ => { };

        var said = bench.Recorder.Changes.Count;
        bench.Run().ShouldBe(RelocationState.Waiting);
        bench.Recorder.Changes.Count.ShouldBe(said, "what still waits is not told again");

        bench.Permits.Wish = Wish.GoOn;
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.EndFault().ShouldBeNull();
        bench.Recorder.Changes.Count(c => c.Step == Step.Copy).ShouldBe(1, "the copy was not made twice");
    }

    [Fact]
    public void A_permit_that_is_not_given_yet_lets_the_docket_rest_before_anybody_is_kept_out()
    {
        var bench = new Bench();
        bench.Permits.Answer = PermitAnswer.NotNow;
        bench.Run().ShouldBe(RelocationState.Waiting);
        bench.Machine.SignInAllowed.ShouldBeTrue();
        bench.LivePlaceFault().ShouldBeNull();

        bench.Permits.Answer = PermitAnswer.Granted;
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.EndFault().ShouldBeNull();
    }

    [Fact]
    public void A_pause_does_not_keep_an_account_out_longer()
    {
        var bench = new Bench();
        bench.Recorder.OnChange = change =>
            bench.Permits.Wish = change.Step == Step.Copy ? Wish.Pause : bench.Permits.Wish;
        bench.Run().ShouldBe(RelocationState.Switched);
    }

    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Warm)]
    [InlineData(Method.Exchange)]
    [InlineData(Method.Adopt)]
    public void Backing_out_by_hand_undoes_every_step_before_reopen_I2(Method method)
    {
        foreach (
            var at in RelocationEngine.SequenceOf(new Bench(method: method).Docket).TakeWhile(s => s <= Step.Reopen)
        )
        {
            var bench = new Bench(method: method);
            bench.Recorder.OnChange = change =>
                bench.Permits.Wish = change.Step == at ? Wish.BackOut : bench.Permits.Wish;
            var end = bench.Run();
            if (at == Step.Reopen)
            {
                end.ShouldBe(bench.Good, "the account was let in: too late");
                continue;
            }
            end.ShouldBe(RelocationState.BackedOut, $"{method} at {at}");
            bench.Recorder.Last.Failure!.Code.ShouldBe("backed-out-by-hand");
            bench.LivePlaceFault().ShouldBeNull();
            bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
            bench.Machine.SignInAllowed.ShouldBeTrue();
            if (method == Method.Adopt)
                bench.Machine.Describe(bench.Target).ShouldBe(bench.Before);
            else
                bench.Disk.Root("data").Entries.ShouldBeEmpty($"{method} at {at}");
        }
    }

    [Fact]
    public void Files_in_use_are_waited_for_and_then_told()
    {
        var bench = new Bench();
        bench.Docket = bench.Docket with
        {
            Terms = Terms.Plain with { FilesInUseWait = TimeSpan.FromMilliseconds(50) },
        };
        bench.Machine.Open = ["writer (asa.lind): /system/home/asa.lind/Pictures/plot-0"];
        bench.Run().ShouldBe(RelocationState.Failed);
        bench
            .Recorder.Changes.Single(c => c.State == RelocationState.Waiting)
            .Failure!.Text.ShouldContain("writer (asa.lind)");
        bench.Recorder.Last.Failure!.Code.ShouldBe("files-in-use");
        bench.Machine.SignInAllowed.ShouldBeTrue();

        bench = new Bench();
        bench.Docket = bench.Docket with { Terms = Terms.Plain with { FilesInUseWait = TimeSpan.FromMinutes(1) } };
        bench.Machine.Open = ["writer (asa.lind): /system/home/asa.lind/Pictures/plot-0"];
        bench.Recorder.OnChange = change =>
            bench.Machine.Open = change.State == RelocationState.Waiting ? [] : bench.Machine.Open;
        bench.Run().ShouldBe(RelocationState.Switched);
    }

    [Fact]
    public void A_proven_warm_copy_waits_for_files_in_use_and_lets_the_account_in_meanwhile()
    {
        var bench = new Bench(method: Method.Warm);
        bench.Docket = bench.Docket with { Terms = Terms.Plain with { KeepWaiting = true } };
        bench.Machine.Open = ["writer (asa.lind): /system/home/asa.lind/Pictures/plot-0"];
        bench.Run().ShouldBe(RelocationState.Waiting);
        bench.Machine.SignInAllowed.ShouldBeTrue();
        bench.Run().ShouldBe(RelocationState.Waiting);
        bench.Recorder.Last.Failure!.Code.ShouldBe("files-in-use");

        bench.Machine.Open = [];
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.EndFault().ShouldBeNull();
        bench.Recorder.Changes.Count(c => c.Step == Step.Copy).ShouldBe(1);
    }

    [Fact]
    public void A_service_that_is_away_while_an_account_is_kept_out_ends_in_backing_out()
    {
        var bench = new Bench();
        bench.Recorder.OnChange = change =>
            bench.Permits.Answer = change.Step == Step.Copy ? PermitAnswer.Expired : bench.Permits.Answer;
        bench.Run().ShouldBe(RelocationState.BackedOut);
        bench.Recorder.Last.Failure!.Code.ShouldBe("permit-expired");
        bench.Machine.SignInAllowed.ShouldBeTrue();
        bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
    }

    [Fact]
    public void The_docket_limits_how_many_bytes_pass_in_a_second()
    {
        var bench = new Bench();
        bench.Run();
        var bytes = bench
            .Machine.Describe(bench.Target)
            .Split('\n')
            .Where(l => l.Contains("|File|", StringComparison.Ordinal))
            .Sum(l => l.Split('|')[2].IndexOf(' ') / 2);

        bench = new Bench();
        bench.Docket = bench.Docket with { Terms = new Terms(bytes * 4, true, TimeSpan.Zero, false) };
        var watch = Stopwatch.StartNew();
        bench.Run().ShouldBe(RelocationState.Switched);
        watch.Elapsed.ShouldBeGreaterThan(
            TimeSpan.FromSeconds(0.3),
            "copied and read back at four times its size a second"
        );
        bench.Machine.GivesWay.ShouldBeTrue();
    }

    [Fact]
    public void A_lost_target_is_fallen_back_from_and_one_that_is_there_is_not()
    {
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        var switched = bench.Recorder.Last;
        bench.Docket = Dockets.FallBack(switched);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("live-place-there");
        bench.Recorder.Last.Live.ShouldBe(Live.Target);

        bench.Docket = Dockets.FallBack(switched);
        bench.Machine.Attach("data", false);
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.Recorder.Last.Live.ShouldBe(Live.Source);
        bench.EndFault().ShouldBeNull();
        bench.Machine.SignInAllowed.ShouldBeTrue();
    }

    [Fact]
    public void What_stands_at_the_former_place_stops_a_fall_back_and_stays_I7()
    {
        var bench = new Bench();
        bench.Run();
        var docket = Dockets.FallBack(bench.Recorder.Last);
        bench.Machine.Attach("data", false);
        using (
            var home = Trees.Reach.Folder(
                new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), ""),
                Bench.Source.Parts.SkipLast(1)
            )
        )
        using (var again = home.MakeFolder("Pictures", 0x1C0))
            again.MakeFile("new").Dispose();
        bench.Docket = docket;
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("target-not-empty");
        bench.Machine.Describe(Bench.Source).ShouldContain("new");
    }
}
