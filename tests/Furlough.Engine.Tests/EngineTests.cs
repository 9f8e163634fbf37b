using CsCheck;
using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

public sealed class EngineTests
{
    [Fact]
    public void Something_at_the_target_stops_the_docket_and_stays_I7()
    {
        var bench = new Bench();
        using (var root = new SimulatedFolder(bench.Disk, bench.Disk.Root("data"), ""))
        using (var people = root.MakeFolder("People", 0x1ED))
        using (var account = people.MakeFolder("asa.lind", 0x1C0))
        using (var taken = account.MakeFolder("Pictures", 0x1C0))
            taken.MakeFile("mine").Dispose();
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("target-not-empty");
        bench.Recorder.Last.Failure!.Text.ShouldContain("mine");
        bench.Machine.Describe(bench.Target).ShouldContain("mine");
        bench.LivePlaceFault().ShouldBeNull();
    }

    [Fact]
    public void A_setting_changed_since_the_survey_stops_the_docket_I9()
    {
        var bench = new Bench();
        bench.Machine.Setting("two", "/system/elsewhere");
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("pointer-changed");
        bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(Bench.Source));
        bench.Machine.Setting("two").ShouldBe("/system/elsewhere");
    }

    [Theory]
    [InlineData(Step.Quiesce)]
    [InlineData(Step.Copy)]
    [InlineData(Step.Prove)]
    [InlineData(Step.SetAside)]
    [InlineData(Step.Confirm)]
    public void A_setting_that_somebody_changes_meanwhile_is_noticed_when_the_next_step_is_entered_I6_I9(Step at)
    {
        var bench = new Bench();
        bench.Recorder.OnChange = change =>
        {
            if (change.Step == at && change.State == RelocationState.UnderWay)
                bench.Machine.Setting("two", "/system/elsewhere");
        };
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("pointer-changed");
        bench.Machine.Setting("two").ShouldBe("/system/elsewhere", "what someone else set is left alone");
        bench.Machine.SignInAllowed.ShouldBeTrue();
        bench.Machine.Describe(at == Step.Confirm ? bench.Target : Bench.Source).ShouldBe(bench.Before);
    }

    [Theory]
    [InlineData(Step.Copy)]
    [InlineData(Step.Repoint)]
    [InlineData(Step.SetAside)]
    public void A_file_written_after_it_was_copied_blocks_reopening_and_the_source_stays_live_I3(Step at)
    {
        var bench = new Bench();
        bench.Recorder.OnChange = change =>
        {
            if (change.Step != at || change.State != RelocationState.UnderWay)
                return;
            bench.Recorder.OnChange = _ => { };
            if (at == Step.Copy)
                return;
            using var folder = (SimulatedFolder)
                Reach.Folder(new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), ""), Bench.Source.Parts);
            using var file = folder.OpenFile("plot-0", append: true);
            file.Append("late"u8);
        };
        if (at == Step.Copy)
        {
            bench.Run().ShouldBe(RelocationState.Switched);
            return;
        }
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("source-changed");
        bench.Recorder.Last.Live.ShouldBe(Live.Source);
        bench.Machine.Describe(Bench.Source).ShouldContain(Convert.ToHexString("late"u8));
        bench.Machine.SignInAllowed.ShouldBeTrue();
    }

    [Fact]
    public void A_discard_that_met_a_locked_file_is_finished_by_the_next_but_not_when_something_was_added_I10()
    {
        var rehearsal = new Bench();
        var operations = Discard(rehearsal);
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        var switched = bench.Recorder.Last;
        var first = bench.Docket = Dockets.Discard(switched);
        bench.Disk.FailWith = IoReason.Denied;
        bench.Disk.FailAt = bench.Disk.Operations + operations - 60;
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Disk.FailAt = 0;

        bench.Docket = Dockets.Discard(switched);
        bench.Run().ShouldBe(RelocationState.Failed, "nobody said that its removal was begun");
        using (
            var original = Reach.Folder(
                new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), ""),
                [Layout.Dockets, Layout.FolderOf(switched.Docket.Id, DocketSide.Original), Layout.Original]
            )
        )
        {
            original.MakeFile("added").Dispose();
            bench.Docket = Dockets.Discard(switched) with { Supersedes = [first.Id] };
            bench.Run().ShouldBe(RelocationState.Failed);
            bench.Recorder.Last.Failure!.Text.ShouldContain("`added` was added");
            original.RemoveFile("added");
        }
        bench.Docket = Dockets.Discard(switched) with { Supersedes = [first.Id] };
        bench.Run().ShouldBe(RelocationState.Finished);
        bench.EndFault().ShouldBeNull();
    }

    /// <summary>Relocates and discards; how many operations the discard took.</summary>
    private static int Discard(Bench bench)
    {
        bench.Run();
        bench.Docket = Dockets.Discard(bench.Recorder.Last);
        var before = bench.Disk.Operations;
        bench.Run().ShouldBe(RelocationState.Finished);
        return bench.Disk.Operations - before;
    }

    [Fact]
    public void A_docket_without_a_permit_is_undone_before_anybody_is_kept_out()
    {
        var bench = new Bench();
        bench.Permits.Answer = PermitAnswer.Refused;
        bench.Run().ShouldBe(RelocationState.BackedOut);
        bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
        bench.Disk.Root("data").Entries.ShouldBeEmpty();
    }

    [Fact]
    public void A_target_that_is_absent_is_said_in_three_sentences_I11()
    {
        var bench = new Bench();
        bench.Machine.Attach("data", false);
        bench.Run().ShouldBe(RelocationState.Failed);
        var failure = bench.Recorder.Last.Failure!;
        failure.Code.ShouldBe("volume-absent");
        failure.Where.ShouldBe("Nothing has changed; the data lives at its source, `/system/home/asa.lind/Pictures`.");
        (failure.Next, failure.Relocation).ShouldBe((NextStep.Retry, 1));
    }

    [Fact]
    public void A_return_takes_back_what_was_added_since_and_the_original_is_not_merged()
    {
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        var first = bench.Recorder.Last;
        using (
            var folder = Reach.Folder(new SimulatedFolder(bench.Disk, bench.Disk.Root("data"), ""), bench.Target.Parts)
        )
        using (var file = folder.MakeFile("added"))
            file.Append("since"u8);
        var live = bench.Machine.Describe(bench.Target);

        bench.Docket = Dockets.Return(first);
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.Machine.Describe(Bench.Source).ShouldBe(live);
        bench.Recorder.Last.Live.ShouldBe(Live.Source);
        bench
            .Machine.Describe(
                new Place(
                    "system",
                    $"{Layout.Dockets}/{Layout.FolderOf(first.Docket.Id, DocketSide.Original)}/original"
                )
            )
            .ShouldBe(bench.Before);
    }

    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Warm)]
    public void A_return_after_which_nothing_changed_renames_the_original_back_and_copies_nothing(Method method)
    {
        var bench = new Bench(method: method);
        var before = IdAt(bench, Bench.Source);
        bench.Run().ShouldBe(RelocationState.Switched);
        var first = bench.Recorder.Last;
        var lived = IdAt(bench, bench.Target);

        bench.Docket = Dockets.Return(first) with { DataBytes = 1L << 50 };
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
        IdAt(bench, Bench.Source).ShouldBe(before, "it is the original itself, for which no room was needed");
        bench.Recorder.Last.LiveAgain.ShouldBe(first.Docket.Id);
        IdAt(bench, bench.OwnFor(bench.Target) with { Path = bench.OwnFor(bench.Target).Path + "/original" })
            .ShouldBe(lived, "what lived there is an original now");
        bench
            .Machine.Describe(
                new Place("system", $"{Layout.Dockets}/{Layout.FolderOf(first.Docket.Id, DocketSide.Original)}")
            )
            .ShouldBe("(missing)");
    }

    [Theory]
    [InlineData(Method.Cold, true)]
    [InlineData(Method.Warm, true)]
    [InlineData(Method.Cold, false)]
    public void A_return_copies_where_a_content_differs_although_no_time_tells_or_the_original_was_touched(
        Method method,
        bool live
    )
    {
        var bench = new Bench(method: method);
        bench.Run().ShouldBe(RelocationState.Switched);
        var first = bench.Recorder.Last;
        var aside = new Place(
            "system",
            $"{Layout.Dockets}/{Layout.FolderOf(first.Docket.Id, DocketSide.Original)}/original"
        );
        var node = NodeAt(
            bench,
            (live ? bench.Target : aside) with
            {
                Path = (live ? bench.Target : aside).Path + "/plot-0",
            }
        );
        node.Content = [.. node.Content[..^1], (byte)~node.Content[^1]];
        if (!live)
            node.ChangedNs++;
        var lives = bench.Machine.Describe(bench.Target);

        bench.Docket = Dockets.Return(first);
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.Machine.Describe(Bench.Source).ShouldBe(lives);
        bench.Machine.Describe(aside).ShouldNotBe("(missing)");
    }

    [Fact]
    public void Who_changes_something_while_a_warm_return_compares_gets_the_next_attempt_copied_I1()
    {
        var bench = new Bench(method: Method.Warm);
        bench.Run().ShouldBe(RelocationState.Switched);
        var first = bench.Recorder.Last;
        var aside = new Place(
            "system",
            $"{Layout.Dockets}/{Layout.FolderOf(first.Docket.Id, DocketSide.Original)}/original"
        );
        bench.Docket = Dockets.Return(first);
        bench.Disk.Meanwhile = () =>
        {
            if (bench.Journal.Read(bench.Docket.Id).Done.Contains(Step.Prove) && bench.Machine.SignInAllowed)
            {
                bench.Disk.Meanwhile = () => { };
                bench.WorkAtTarget();
            }
        };
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("source-changed");
        bench.Machine.Describe(aside).ShouldContain("plot-0", Case.Sensitive, "the original is where it was");

        bench.Docket = bench.Docket with
        {
            Id = Guid.CreateVersion7(),
            Supersession = 3,
            Supersedes = [.. bench.Docket.Supersedes, bench.Docket.Id],
        };
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
    }

    [Fact]
    public void An_original_that_rotted_is_not_renamed_back_and_the_next_attempt_copies_I3()
    {
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        var first = bench.Recorder.Last;
        var node = NodeAt(
            bench,
            new Place(
                "system",
                $"{Layout.Dockets}/{Layout.FolderOf(first.Docket.Id, DocketSide.Original)}/original/plot-0"
            )
        );
        node.Content = [.. node.Content[..^1], (byte)~node.Content[^1]];
        bench.Docket = Dockets.Return(first);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("original-changed");
        bench.Machine.Describe(bench.Target).ShouldBe(bench.Before);

        bench.Docket = bench.Docket with
        {
            Id = Guid.CreateVersion7(),
            Supersession = 3,
            Supersedes = [.. bench.Docket.Supersedes, bench.Docket.Id],
        };
        bench.Run().ShouldBe(RelocationState.Returned, bench.Recorder.Last.Failure?.ToString());
        bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
    }

    private static ulong IdAt(Bench bench, Place place) => NodeAt(bench, place).Id;

    private static SimulatedNode NodeAt(Bench bench, Place place) =>
        place.Parts.Aggregate(bench.Disk.Root(place.Volume), (at, part) => at.Entries[part]);

    [Fact]
    public void A_path_with_dots_or_our_own_names_is_refused()
    {
        foreach (var path in (string[])["People/../../etc", "..", "People//x", ".furlough-x/y", ""])
        {
            var bench = new Bench();
            bench.Docket = bench.Docket with { Target = new Place("data", path) };
            bench.Run().ShouldBe(RelocationState.Failed);
            bench.Recorder.Last.Failure!.Code.ShouldBe("path-refused", path);
        }
    }

    /// <summary>
    /// The sequence is the one in which trees are walked: a folder, its leaves by name, its folders by name.
    /// </summary>
    [Fact]
    public void Paths_compare_as_trees_are_walked()
    {
        for (var seed = 1; seed <= 40; seed++)
        {
            var bench = new Bench(seed);
            List<(string Path, bool IsFolder)> walked = [];
            using var folder = Reach.Folder(
                new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), ""),
                Bench.Source.Parts
            );
            Walk.Visit(
                folder,
                (_, _, path, facts) => walked.Add((path, facts.Kind == NodeKind.Folder)),
                CancellationToken.None
            );
            for (var i = 0; i < walked.Count; i++)
            for (var k = 0; k < walked.Count; k++)
                Math.Sign(Walk.Compare(walked[i].Path, walked[i].IsFolder, walked[k].Path, walked[k].IsFolder))
                    .ShouldBe(Math.Sign(i - k), $"{walked[i]} and {walked[k]}");
        }
        Walk.Compare("a", false, "a.b", false).ShouldBeLessThan(0);
        Walk.Compare("z", false, "a/b", false).ShouldBeLessThan(0, "leaves before folders");
        Walk.Compare("a-b/c", false, "a/c", false).ShouldBeGreaterThan(0, "names are compared part by part");
    }

    [Fact]
    public void Any_name_survives_being_written_down() =>
        Gen.String.Sample(name => PathText.Unescape(PathText.Escape(name)) == name);

    [Fact]
    public void Any_manifest_entry_survives_being_written_down() =>
        Gen.Select(Gen.String, Gen.Long, Gen.UInt, Gen.ULong, Gen.String)
            .Sample(
                (path, time, owner, digest, link) =>
                {
                    var entry = new ManifestEntry(
                        path,
                        new NodeFacts(NodeKind.Link, 3, 0, time, time, 0, digest, 0, owner & 0xFFF, owner, owner),
                        digest,
                        7,
                        link
                    );
                    return ManifestEntry.Parse(entry.ToLine().TrimEnd('\n')) == entry;
                }
            );

    [Fact]
    public void Holes_and_written_zeros_have_one_digest_and_other_content_another()
    {
        var zeros = new byte[300_000];
        var (one, two, three) = (new ContentDigest(), new ContentDigest(), new ContentDigest());
        one.Add(0, zeros);
        three.Add(0, [.. zeros[1..], 1]);
        one.Finish(zeros.Length).ShouldBe(two.Finish(zeros.Length));
        three.Finish(zeros.Length).ShouldNotBe(new ContentDigest().Finish(zeros.Length));
    }

    [Fact]
    public void A_return_whose_former_value_leads_elsewhere_now_changes_nothing_I2()
    {
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        var moved = Dockets.Return(bench.Recorder.Last);
        bench.Docket = moved with
        {
            Pointers =
            [
                .. moved.Pointers.Select(p =>
                    p with
                    {
                        Next = new PointerValue("text", "/system/another/home/Pictures"),
                    }
                ),
            ],
        };
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("former-setting-elsewhere"),
            f => f.Text.ShouldContain("leads to `/system/another/home/Pictures` now")
        );
        bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(bench.Target));
        bench.Machine.Describe(bench.Target).ShouldBe(bench.Before);
    }

    [Fact]
    public void What_goes_wrong_when_people_are_let_in_again_is_no_reason_to_try_again()
    {
        var bench = new Bench();
        bench.Docket = bench.Docket with { Program = new OwnProgram([], ["/usr/bin/sketcher", "where"]) };
        bench.Machine.Answer = () => "/elsewhere";
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Live.ShouldBe(Live.Target);
        bench.Recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("system-disagrees"),
            f => f.Where.ShouldContain("the original is kept"),
            f => f.Next.ShouldBe(NextStep.Audit)
        );
    }
}
