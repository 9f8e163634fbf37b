using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// A rename stays on its mount, in its subvolume, and within what counts for one project: the dockets' folders stand
/// where it does.
/// </summary>
public sealed class VolumePartTests
{
    [Fact]
    public void A_subvolume_whose_folder_belongs_to_the_system_gets_a_folder_of_its_own()
    {
        using var tree = new LinuxTree("btrfs");
        LinuxTree.Sh(
            $"btrfs -q subvolume create {tree.Root}/data/People 2>/dev/null || btrfs subvolume create {tree.Root}/data/People >/dev/null"
        );
        var recorder = Relocate(tree);
        recorder.Last.State.ShouldBe(RelocationState.Switched, recorder.Last.Failure?.ToString());
        Directory.Exists($"{tree.Root}/data/People/{Layout.Dockets}").ShouldBeTrue();
        Directory
            .Exists($"{tree.Root}/data/{Layout.Dockets}")
            .ShouldBeFalse("from there nothing can be renamed into the subvolume");
    }

    [Fact]
    public void A_subvolume_that_belongs_to_the_account_has_no_closed_folder_and_nothing_is_begun()
    {
        using var tree = new LinuxTree("btrfs");
        LinuxTree.Sh(
            $"mkdir {tree.Root}/data/People; btrfs subvolume create {tree.Root}/data/People/asa.lind >/dev/null; "
                + $"chown 1701:1701 {tree.Root}/data/People/asa.lind; chmod 700 {tree.Root}/data/People/asa.lind"
        );
        var recorder = Relocate(tree);
        recorder.Last.State.ShouldBe(RelocationState.Failed);
        recorder.Last.Failure!.Code.ShouldBe("no-closed-folder");
        Directory.GetFileSystemEntries($"{tree.Root}/data/People/asa.lind").ShouldBeEmpty();
        Directory.Exists($"{tree.Home}/Documents").ShouldBeTrue();
    }

    [Fact]
    public void A_part_of_a_volume_that_is_mounted_by_itself_is_a_volume_of_its_own()
    {
        using var tree = new LinuxTree();
        LinuxTree.Sh(
            $"mkdir {tree.Root}/data/part {tree.Root}/bound; mount --bind {tree.Root}/data/part {tree.Root}/bound"
        );
        try
        {
            var recorder = Relocate(tree, v => v.Root == "/bound");
            recorder.Last.State.ShouldBe(RelocationState.Switched, recorder.Last.Failure?.ToString());
            Directory.Exists($"{tree.Root}/bound/{Layout.Dockets}").ShouldBeTrue();
        }
        finally
        {
            LinuxTree.Sh($"umount {tree.Root}/bound");
        }
    }

    [Fact]
    public void A_folder_that_counts_for_a_project_takes_what_was_copied()
    {
        using var tree = new LinuxTree("xfs");
        LinuxTree.Sh(
            $"mkdir -p {tree.Root}/data/People/asa.lind; chown 1701:1701 {tree.Root}/data/People/asa.lind; chmod "
                + $"700 {tree.Root}/data/People/asa.lind; xfs_io -x -c 'chproj 42' -c 'chattr +P' "
                + $"{tree.Root}/data/People/asa.lind"
        );
        var recorder = Relocate(tree);
        recorder.Last.State.ShouldBe(RelocationState.Switched, recorder.Last.Failure?.ToString());
        LinuxTree.Sh($"xfs_io -x -c lsproj {tree.Root}/data/People/asa.lind/Documents/one").ShouldContain("42");
        new RelocationEngine(tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System)
            .Run(Dockets.Return(recorder.Last), recorder, CancellationToken.None)
            .ShouldBe(RelocationState.Returned, recorder.Last.Failure?.ToString());
    }

    private readonly MemoryJournal _journal = new();

    private Recorder Relocate(LinuxTree tree, Func<VolumeFacts, bool>? onto = null)
    {
        tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
        tree.FillHard($"{tree.Home}/Documents", 20);
        var recorder = new Recorder();
        var docket = Dockets.Relocate(tree.Survey(), "Documents", "People/asa.lind/Documents", onto);
        new RelocationEngine(tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(
            docket,
            recorder,
            CancellationToken.None
        );
        return recorder;
    }
}
