using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

public sealed class LinuxRelocationTests : IDisposable
{
    private const string TwoFolders =
        "# my folders\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n# end\n";

    private readonly LinuxTree _tree = new();
    private readonly MemoryJournal _journal = new();
    private readonly Recorder _recorder = new();

    public void Dispose() => _tree.Dispose();

    [Fact]
    public void A_tree_with_everything_hard_is_equal_at_the_target_and_again_after_the_return_I1_I3()
    {
        _tree.Setting(TwoFolders);
        var source = $"{_tree.Home}/Documents";
        _tree.FillHard(source, 2_000, 300);
        var before = LinuxTree.Describe(source);

        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{_tree.Root}/data/People/asa.lind/Documents"))
            .ShouldBeEmpty();
        File.ReadAllText(_tree.UserDirs)
            .ShouldBe(
                TwoFolders.Replace("$HOME/Documents", "/data/People/asa.lind/Documents", StringComparison.Ordinal)
            );
        Directory.Exists(source).ShouldBeFalse();
        _recorder.Last.Notes.ShouldContain(n => n.Contains("named pipe", StringComparison.Ordinal));
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldContain("asa.lind:!:19000:0:99999:7:::");

        Run(Dockets.Return(_recorder.Last)).ShouldBe(RelocationState.Returned, Why());
        LinuxTree.Difference(before, LinuxTree.Describe(source)).ShouldBeEmpty();
        File.ReadAllText(_tree.UserDirs).ShouldBe(TwoFolders);
    }

    [Fact]
    public void An_original_that_nobody_touched_is_discarded_and_one_that_was_written_to_is_not_I10()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 600);
        _tree.FillHard($"{_tree.Home}/Pictures", 600);
        foreach (var name in (string[])["Documents", "Pictures"])
            Run(Dockets.Relocate(_tree.Survey(), name, $"People/asa.lind/{name}"))
                .ShouldBe(RelocationState.Switched, Why());
        var (documents, pictures) = (_recorder.Changes.Last(c => c.Docket.Holding.Name == "Documents"), _recorder.Last);

        File.AppendAllText(
            $"{_tree.Root}/{Layout.Dockets}/{Layout.FolderOf(pictures.Docket.Id, DocketSide.Original)}/original/one",
            "late"
        );
        Run(Dockets.Discard(pictures)).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("original-written-to");

        Run(Dockets.Discard(documents)).ShouldBe(RelocationState.Finished, Why());
        Directory
            .Exists($"{_tree.Root}/{Layout.Dockets}/{Layout.FolderOf(documents.Docket.Id, DocketSide.Original)}")
            .ShouldBeFalse();
        Run(Dockets.Discard(documents)).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("original-missing");
    }

    /// <summary>
    /// File systems outside the kernel know neither a rename that replaces nothing nor a flush of the whole volume, and
    /// one has no links.
    /// </summary>
    [Theory]
    [InlineData("ntfs")]
    [InlineData("exfat")]
    public void An_ordinary_tree_goes_to_a_volume_without_owners_and_comes_back_I3_I7(string fileSystem)
    {
        using var tree = new LinuxTree(fileSystem);
        tree.Setting(TwoFolders);
        var source = $"{tree.Home}/Documents";
        LinuxTree.Sh(
            $"mkdir -p {source}/2019/empty; cd {source}; for i in $(seq 200); do head -c $((i * 700)) "
                + "/dev/urandom > 2019/plot-$i.tif; done; echo x > .hidden; head -c 19000001 /dev/urandom > large; "
                + $"find . -exec touch -d '2019-05-04 10:00:00' {{}} +; chown -R 1701:1701 ."
        );
        var before = LinuxTree.Sh(
            $"cd {source}; find . -type f -printf '%P %s %TY-%Tm-%Td %TH:%TM\n' | sort; find . -type f | sort | xargs sha256sum"
        );
        var machine = tree.Machine();

        new RelocationEngine(machine, _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System)
            .Run(
                Dockets.Relocate(tree.Survey(), "Documents", "People/asa.lind/Documents"),
                _recorder,
                CancellationToken.None
            )
            .ShouldBe(RelocationState.Switched, Why());
        var target = $"{tree.Root}/data/People/asa.lind/Documents";
        LinuxTree
            .Sh(
                $"cd {target}; find . -type f -printf '%P %s %TY-%Tm-%Td %TH:%TM\n' | sort; find . -type f | sort | xargs sha256sum"
            )
            .ShouldBe(before);
        Directory.Exists($"{target}/2019/empty").ShouldBeTrue();
        _recorder.Last.Notes.ShouldContain(n => n.StartsWith("Proven from cache", StringComparison.Ordinal));

        File.WriteAllText($"{target}/later", "written there");
        new RelocationEngine(machine, _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System)
            .Run(Dockets.Return(_recorder.Last), _recorder, CancellationToken.None)
            .ShouldBe(RelocationState.Returned, Why());
        File.Delete($"{source}/later");
        LinuxTree
            .Sh(
                $"cd {source}; find . -type f -printf '%P %s %TY-%Tm-%Td %TH:%TM\n' | sort; find . -type f | sort | xargs sha256sum"
            )
            .ShouldBe(before);
    }

    [Fact]
    public void A_file_that_is_held_open_stops_the_relocation_and_changes_nothing()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 100);
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        using var holder = System.Diagnostics.Process.Start("tail", ["-f", $"{_tree.Home}/Documents/one"]);
        try
        {
            Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
                .ShouldBe(RelocationState.Failed);
        }
        finally
        {
            holder.Kill();
        }
        _recorder.Last.Failure!.Code.ShouldBe("files-in-use");
        _recorder.Last.Failure!.Text.ShouldContain("tail");
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        Directory
            .GetFileSystemEntries($"{_tree.Root}/data")
            .Select(Path.GetFileName)
            .ShouldBe(["lost+found", Layout.VolumeMarker], ignoreOrder: true);
    }

    [Theory]
    [InlineData(Step.Prepare)]
    [InlineData(Step.Copy)]
    [InlineData(Step.Prove)]
    [InlineData(Step.Repoint)]
    [InlineData(Step.SetAside)]
    public void A_target_unmounted_at_any_step_changes_nothing_and_nothing_is_written_below_I11(Step at)
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 300);
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        _recorder.OnChange = change =>
        {
            if (change.Step != at || change.State != RelocationState.UnderWay)
                return;
            _recorder.OnChange = _ => { };
            _tree.Detach($"{_tree.Root}/data");
        };
        Run(docket).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("volume-absent", Why());
        _recorder.Last.Failure!.Where.ShouldContain("its source");
        Directory.GetFileSystemEntries($"{_tree.Root}/data").ShouldBeEmpty();
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        File.ReadAllText(_tree.UserDirs).ShouldBe(TwoFolders);

        _tree.MountAgain($"{_tree.Root}/data");
        Run(docket with { Id = Guid.CreateVersion7(), Supersession = 2, Supersedes = [docket.Id] })
            .ShouldBe(RelocationState.Switched, Why());
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{_tree.Root}/data/People/asa.lind/Documents"))
            .ShouldBeEmpty();
        Directory.GetFileSystemEntries($"{_tree.Root}/data/People/asa.lind").Length.ShouldBe(1);
        Directory.GetFileSystemEntries($"{_tree.Root}/data/{Layout.Dockets}").Length.ShouldBe(1);
    }

    [Fact]
    public void Two_are_relocated_and_a_comment_added_by_hand_and_one_returned_the_other_stands_I6()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 10);
        _tree.FillHard($"{_tree.Home}/Pictures", 10);
        foreach (var name in (string[])["Documents", "Pictures"])
            Run(Dockets.Relocate(_tree.Survey(), name, $"People/asa.lind/{name}"))
                .ShouldBe(RelocationState.Switched, Why());
        var documents = _recorder.Changes.Last(c => c.Docket.Holding.Name == "Documents");
        File.AppendAllText(_tree.UserDirs, "# mine\n");
        Run(Dockets.Return(documents)).ShouldBe(RelocationState.Returned, Why());
        File.ReadAllText(_tree.UserDirs)
            .ShouldBe(
                TwoFolders.Replace("$HOME/Pictures", "/data/People/asa.lind/Pictures", StringComparison.Ordinal)
                    + "# mine\n"
            );
    }

    [Fact]
    public void A_target_that_fills_up_is_said_so_and_left_clean()
    {
        _tree.Setting(TwoFolders);
        LinuxTree.Sh(
            $"mkdir {_tree.Home}/Documents; truncate -s 500M {_tree.Home}/Documents/a; head -c 300M /dev/urandom "
                + $"> {_tree.Home}/Documents/b; head -c 300M /dev/urandom > {_tree.Home}/Documents/c; chown -R "
                + $"1701:1701 {_tree.Home}/Documents"
        );
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        Run(docket).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("target-fuller-than-surveyed");
        Run(docket with { Id = Guid.CreateVersion7(), DataBytes = 10 }).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("volume-full", Why());
        _recorder.Last.Failure!.Text.ShouldContain("does not fit on its volume");
        Directory.Exists($"{_tree.Root}/data/People").ShouldBeFalse();
    }

    [Theory]
    [InlineData("2300-01-01")]
    [InlineData("1600-01-01")]
    public void A_time_that_cannot_be_kept_is_refused_and_nothing_changes(string day)
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        LinuxTree.Sh(
            $"echo x > {_tree.Home}/Documents/far; chown 1701:1701 {_tree.Home}/Documents/far; touch -d '{day} "
                + $"00:00Z' {_tree.Home}/Documents/far"
        );
        if (!LinuxTree.Sh($"stat -c %y {_tree.Home}/Documents/far").StartsWith(day, StringComparison.Ordinal))
            return; // the file system cannot keep it either
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("time-not-kept"),
            f => f.Text.ShouldContain("`far`")
        );
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        LinuxTree.Sh($"touch {_tree.Home}/Documents/far");
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
    }

    [Fact]
    public void A_link_with_several_names_is_told_and_its_names_are_links_of_their_own()
    {
        _tree.Setting(TwoFolders);
        LinuxTree.Sh(
            $"mkdir {_tree.Home}/Documents; cd {_tree.Home}/Documents; ln -s one first; ln -P first second; chown -hR 1701:1701 ."
        );
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
        _recorder.Last.Notes.ShouldContain(n => n.Contains("with 2 names", StringComparison.Ordinal));
        LinuxTree.Sh($"readlink {_tree.Root}/data/People/asa.lind/Documents/second").Trim().ShouldBe("one");
    }

    [Fact]
    public void A_return_that_has_no_room_beside_its_original_says_that_the_original_can_go()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
        var switched = _recorder.Last;
        LinuxTree.Sh(
            $"echo new > {_tree.Root}/data/People/asa.lind/Documents/new; chown 1701:1701 {_tree.Root}/data/People/asa.lind/Documents/new"
        );
        Run(Dockets.Return(switched) with { DataBytes = 1L << 50 }).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("target-fuller-than-surveyed"),
            f => f.Remedy.ShouldStartWith("Discard the original first")
        );
        Run(Dockets.Discard(switched)).ShouldBe(RelocationState.Finished, Why());
        Run(Dockets.Return(switched) with { DataBytes = 1L << 50 }).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Remedy.ShouldStartWith("Free space there");
    }

    [Fact]
    public void A_return_after_which_nothing_changed_needs_no_room_and_brings_back_the_very_same_files()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 60);
        string Numbers() => LinuxTree.Sh($"cd {_tree.Home}/Documents; find . -printf '%i %p\n' | sort");
        var (before, described) = (Numbers(), LinuxTree.Describe($"{_tree.Home}/Documents"));
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
        Run(Dockets.Return(_recorder.Last) with { DataBytes = 1L << 50 }).ShouldBe(RelocationState.Returned, Why());
        Numbers().ShouldBe(before);
        LinuxTree.Difference(described, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        Directory
            .GetDirectories(_tree.Root, ".furlough-dockets", SearchOption.TopDirectoryOnly)
            .SelectMany(Directory.GetDirectories)
            .ShouldNotContain(d => d.EndsWith("-original", StringComparison.Ordinal));
    }

    [Fact]
    public void A_folder_open_to_all_behind_a_closed_home_is_not_laid_open_I12()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        LinuxTree.Sh(
            $"chmod 755 {_tree.Home}/Documents; mkdir -p {_tree.Root}/data/Open; chmod 755 {_tree.Root}/data/Open"
        );
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "Open/Documents")).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("target-too-open");
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
        LinuxTree
            .Sh(
                "setpriv --reuid=1900 --regid=1900 --clear-groups cat "
                    + $"{_tree.Root}/data/People/asa.lind/Documents/one 2>/dev/null || echo locked out"
            )
            .Trim()
            .ShouldBe("locked out");
    }

    /// <summary>
    /// A home that lets everybody through: what comes back lets in whom it let in before, and nobody else.
    /// </summary>
    [Fact]
    public void A_return_lets_in_whom_the_source_let_in_before_it_was_relocated_I12()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        _tree.FillHard($"{_tree.Home}/Pictures", 5);
        LinuxTree.Sh($"chmod 755 {_tree.Home} {_tree.Home}/Documents; chmod 700 {_tree.Home}/Pictures");
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
        var documents = _recorder.Last;
        Run(Dockets.Relocate(_tree.Survey(), "Pictures", "People/asa.lind/Pictures"))
            .ShouldBe(RelocationState.Switched, Why());
        var pictures = _recorder.Last;
        Run(Dockets.Return(documents)).ShouldBe(RelocationState.Returned, Why());
        LinuxTree.Sh($"stat -c %a {_tree.Home}/Documents").Trim().ShouldBe("755");
        LinuxTree.Sh($"chmod 755 {_tree.Root}/data/People/asa.lind/Pictures");
        Run(Dockets.Return(pictures)).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("target-too-open");
        _recorder.Last.Failure!.Remedy.ShouldContain("`/data/People/asa.lind/Pictures`, for example to mode 0700");
        LinuxTree.Sh($"chmod 700 {_tree.Root}/data/People/asa.lind/Pictures");
        Run(Dockets.Return(pictures)).ShouldBe(RelocationState.Returned, Why());
    }

    /// <summary>Rights that an access list above the target grants count like any others.</summary>
    [Fact]
    public void An_access_list_above_the_target_that_lets_somebody_new_in_is_noticed_I12()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        LinuxTree.Sh(
            $"chmod 755 {_tree.Home}/Documents; mkdir -p {_tree.Root}/data/Shared; chown 1701:1701 "
                + $"{_tree.Root}/data/Shared; chmod 700 {_tree.Root}/data/Shared; setfacl -m u:1900:rx "
                + $"{_tree.Root}/data/Shared"
        );
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "Shared/Documents")).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("target-too-open");
        _recorder.Last.Failure!.Text.ShouldContain("closed to keeper, but");
        LinuxTree.Sh($"setfacl -m m::--- {_tree.Root}/data/Shared");
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "Shared/Documents"))
            .ShouldBe(RelocationState.Switched, Why());
    }

    [Fact]
    public void A_group_that_could_read_the_source_may_read_the_target_and_no_other_I12()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        LinuxTree.Sh(
            $"printf 'asa.lind:x:1701:\nkeeper:x:1900:\nsurveyors:x:1950:keeper\n' > {_tree.Root}/etc/group; "
                + $"chmod 750 {_tree.Home}/Documents; chgrp 1950 {_tree.Home}/Documents; mkdir -p "
                + $"{_tree.Root}/data/Team; chown 0:1950 {_tree.Root}/data/Team; chmod 750 {_tree.Root}/data/Team"
        );
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "Team/Documents")).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Text.ShouldContain("closed to keeper, but");
        LinuxTree.Sh($"chgrp 1950 {_tree.Home}; chmod 710 {_tree.Home}");
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "Team/Documents")).ShouldBe(RelocationState.Switched, Why());
    }

    [Fact]
    public void A_survey_says_what_a_folder_asks_of_the_file_system_that_stores_it()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        LinuxTree.Sh(
            $"cd {_tree.Home}/Documents; touch Plot plot 'what?' nul.txt 'ends.'; mknod null c 1 3; echo x > "
                + "sealed; echo x > log; chattr +i sealed; chattr +a log; mkdir mounted; mount -t tmpfs none mounted; "
                + "setfattr -h -n trusted.note -v x dangling; ln -s here twice; ln -P twice again"
        );
        var demands = _tree.Survey().Holdings.Single(h => h.Name.Name == "Documents").Demands;
        demands
            .Found.Select(d => d.Kind)
            .ShouldBe([
                DemandKind.Links,
                DemandKind.HardLinks,
                DemandKind.Holes,
                DemandKind.Attributes,
                DemandKind.NamesByCase,
                DemandKind.OddNames,
                DemandKind.PipesAndSockets,
                DemandKind.DeviceNodes,
                DemandKind.LinksElsewhere,
                DemandKind.Unchangeable,
                DemandKind.FactsNotKept,
                DemandKind.Mounts,
            ]);
        LinuxTree.Sh($"cd {_tree.Home}/Documents; chattr -i -a sealed log; umount mounted");
        demands.Of(DemandKind.Unchangeable)!.Count.ShouldBe(2);
        demands.Of(DemandKind.FactsNotKept)!.Count.ShouldBe(3, "an attribute of a link, and a link with two names");
        demands.Of(DemandKind.Mounts)!.Example.ShouldBe("mounted");
        demands.Of(DemandKind.HardLinks)!.Count.ShouldBe(3);
        demands
            .Of(DemandKind.OddNames)!
            .Count.ShouldBe(5, "a line break, bytes that are no text, and three reserved names");
        demands.Of(DemandKind.NamesByCase)!.Count.ShouldBe(1);
        demands.LargestFileBytes.ShouldBe(20L << 20);
        demands.LongestPathBytes.ShouldBe(255);
    }

    [Fact]
    public void A_second_volume_with_the_same_marker_stops_everything_I11()
    {
        _tree.Setting(TwoFolders);
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        _tree.MountVolume("ext4", $"{_tree.Root}/clone", 64);
        File.Copy($"{_tree.Root}/data/{Layout.VolumeMarker}", $"{_tree.Root}/clone/{Layout.VolumeMarker}");
        Run(docket).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("volume-twice");
    }

    private RelocationState Run(Docket docket) =>
        new RelocationEngine(_tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(
            docket,
            _recorder,
            CancellationToken.None
        );

    private string Why() => _recorder.Last.Failure?.ToString() ?? _recorder.Last.State.ToString();
}
