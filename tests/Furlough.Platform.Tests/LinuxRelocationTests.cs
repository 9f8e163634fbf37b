using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

public sealed class LinuxRelocationTests : IDisposable
{
    private const string TwoFolders = "# my folders\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n# end\n";

    private readonly LinuxTree _tree = new();
    private readonly MemoryJournal _journal = new();
    private readonly Recorder _recorder = new();

    public void Dispose() => _tree.Dispose();

    [Fact]
    public void A_tree_with_everything_hard_is_equal_at_the_target_and_again_after_the_return_I1_I3()
    {
        _tree.Setting(TwoFolders);
        var source = $"{_tree.Home}/Documents";
        _tree.FillHard(source, 2_000);
        var before = LinuxTree.Describe(source);

        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents")).ShouldBe(RelocationState.Switched, Why());
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        File.ReadAllText(_tree.UserDirs).ShouldBe(TwoFolders.Replace("$HOME/Documents", "/data/People/asa.lind/Documents", StringComparison.Ordinal));
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
            Run(Dockets.Relocate(_tree.Survey(), name, $"People/asa.lind/{name}")).ShouldBe(RelocationState.Switched, Why());
        var (documents, pictures) = (_recorder.Changes.Last(c => c.Docket.Holding.Name == "Documents"), _recorder.Last);

        File.AppendAllText($"{_tree.Home}/{Layout.FolderOf(pictures.Docket.Id)}/original/one", "late");
        Run(Dockets.Discard(pictures)).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("original-written-to");

        Run(Dockets.Discard(documents)).ShouldBe(RelocationState.Finished, Why());
        Directory.Exists($"{_tree.Home}/{Layout.FolderOf(documents.Docket.Id)}").ShouldBeFalse();
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
            Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents")).ShouldBe(RelocationState.Failed);
        }
        finally
        {
            holder.Kill();
        }
        _recorder.Last.Failure!.Code.ShouldBe("files-in-use");
        _recorder.Last.Failure!.Text.ShouldContain("tail");
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        Directory.GetFileSystemEntries($"{_tree.Root}/data").Select(Path.GetFileName).ShouldBe(["lost+found", Layout.VolumeMarker], ignoreOrder: true);
    }

    private RelocationState Run(Docket docket) =>
        new RelocationEngine(_tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(docket, _recorder, CancellationToken.None);

    private string Why() => _recorder.Last.Failure?.ToString() ?? _recorder.Last.State.ToString();
}
