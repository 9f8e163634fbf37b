using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>The agent has all rights over folders that belong to people. Here an account uses that against it, while the engine runs.</summary>
public sealed class HostileTreeTests : IDisposable
{
    private const string Secret = "budget of the station: 4711";
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(1);

    private readonly LinuxTree _tree = new();
    private readonly MemoryJournal _journal = new();
    private readonly Recorder _recorder = new();

    public HostileTreeTests()
    {
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
        LinuxTree.Sh($"mkdir -m 700 {_tree.Root}/home/keeper/private; echo '{Secret}' > {_tree.Root}/home/keeper/private/count-00000.txt; chmod 600 {_tree.Root}/home/keeper/private/count-00000.txt; chown -R 1900:1900 {_tree.Root}/home/keeper");
        _tree.FillHard(Documents, 1_500);
    }

    private string Documents => $"{_tree.Home}/Documents";

    private string Target => $"{_tree.Root}/data/People/asa.lind/Documents";

    public void Dispose() => _tree.Dispose();

    [Fact]
    public void A_folder_swapped_for_a_link_all_the_time_never_brings_foreign_content_to_the_target_I8()
    {
        using var stop = new CancellationTokenSource();
        var swapper = Start(() =>
        {
            var (folder, away) = ($"{Documents}/batch-000", $"{Documents}/batch-away");
            while (!stop.IsCancellationRequested)
            {
                try
                {
                    Directory.Move(folder, away);
                    Directory.CreateSymbolicLink(folder, $"{_tree.Root}/home/keeper/private");
                    stop.Token.WaitHandle.WaitOne(Pause);
                    File.Delete(folder);
                    Directory.Move(away, folder);
                    stop.Token.WaitHandle.WaitOne(Pause);
                }
                catch (IOException) { return; } // the source was set aside
            }
        });
        for (var attempt = 1; attempt <= 5; attempt++) Run(Docket() with { Supersession = attempt });
        stop.Cancel();
        swapper.Join();
        _recorder.Changes.ShouldContain(c => c.Step == Step.Copy, "a copy was under way meanwhile");
        LinuxTree.Sh($"grep -rlsF '{Secret}' {_tree.Root}/data {_tree.Home} --include='*' || true").ShouldBeEmpty();
        File.ReadAllText($"{_tree.Root}/home/keeper/private/count-00000.txt").ShouldContain(Secret);
    }

    [Fact]
    public void A_planted_hard_link_to_a_foreign_file_gives_nobody_its_content_and_discarding_leaves_the_file_alone_I12()
    {
        var foreign = $"{_tree.Root}/home/keeper/private/count-00000.txt";
        LinuxTree.Sh($"ln {foreign} {Documents}/mine.txt");
        Run(Docket()).ShouldBe(RelocationState.Switched, Why());
        LinuxTree.Sh($"stat -c '%u %a' {Target}/mine.txt").Trim().ShouldBe("1900 600");
        LinuxTree.Sh($"setpriv --reuid=1701 --regid=1701 --clear-groups cat {Target}/mine.txt 2>&1 || true").ShouldNotContain(Secret);
        Run(Dockets.Discard(_recorder.Last)).ShouldBe(RelocationState.Finished, Why());
        File.ReadAllText(foreign).ShouldContain(Secret);
        LinuxTree.Sh($"stat -c '%u %a %h' {foreign}").Trim().ShouldBe("1900 600 1");
    }

    [Fact]
    public void A_link_put_in_the_place_of_the_source_or_the_target_stops_the_docket_I8()
    {
        LinuxTree.Sh($"mv {Documents} {_tree.Home}/elsewhere; ln -s {_tree.Root}/home/keeper/private {Documents}");
        Run(Docket() with { Files = 1 }).ShouldBe(RelocationState.Failed);
        LinuxTree.Sh($"rm {Documents}; mv {_tree.Home}/elsewhere {Documents}; mkdir -p {_tree.Root}/data/People; ln -s {_tree.Root}/home/keeper/private {_tree.Root}/data/People/asa.lind");
        Run(Docket() with { Supersession = 2 }).ShouldBe(RelocationState.Failed);
        Directory.GetFileSystemEntries($"{_tree.Root}/home/keeper/private").Length.ShouldBe(1);
    }

    [Fact]
    public void An_account_that_races_the_discard_loses_only_what_it_brings_itself_I8_I10()
    {
        Run(Docket()).ShouldBe(RelocationState.Switched, Why());
        var original = $"{_tree.Home}/{Layout.FolderOf(_recorder.Last.Docket.Id)}";
        LinuxTree.Sh($"setpriv --reuid=1701 --regid=1701 --clear-groups sh -c 'ln -s {_tree.Root}/home/keeper/private {original}/original/way; mv {original} {_tree.Home}/mine' 2>&1 || true");
        LinuxTree.Sh($"rm -rf {_tree.Home}/swapped; [ -d {_tree.Home}/mine ] && mv {_tree.Home}/mine {_tree.Home}/swapped && ln -s {_tree.Root}/home/keeper {original} || true");
        Run(Dockets.Discard(_recorder.Last)).ShouldBe(RelocationState.Failed);
        File.ReadAllText($"{_tree.Root}/home/keeper/private/count-00000.txt").ShouldContain(Secret);
        Directory.Exists(Target).ShouldBeTrue();
    }

    [Fact]
    public void What_people_write_during_a_warm_copy_is_at_the_target_and_nothing_half_I3()
    {
        var (written, barred) = (0, false);
        var writer = Start(() =>
        {
            for (; !Volatile.Read(ref barred); written++)
            {
                File.AppendAllText($"{Documents}/batch-001/count-{500 + written % 400:D5}.txt", $"late {written}\n");
                if (written % 7 == 0) File.WriteAllText($"{Documents}/new-{written}", "new");
                if (written % 7 == 3 && written > 7) File.Delete($"{Documents}/new-{written / 7 * 7 - 7}");
                CancellationToken.None.WaitHandle.WaitOne(Pause);
            }
        });
        _recorder.OnChange = change =>
        {
            if (change.Step != Step.Quiesce) return;
            Volatile.Write(ref barred, true);
            writer.Join();
        };
        Run(Docket() with { Method = Method.Warm }).ShouldBe(RelocationState.Switched, Why());
        written.ShouldBeGreaterThan(20);
        var original = $"{_tree.Home}/{Layout.FolderOf(_recorder.Last.Docket.Id)}/original";
        LinuxTree.Difference(LinuxTree.Describe(original), LinuxTree.Describe(Target)).ShouldBeEmpty();
    }

    private static Thread Start(ThreadStart work)
    {
        var thread = new Thread(work) { IsBackground = true };
        thread.Start();
        return thread;
    }

    private Docket Docket() => Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");

    private RelocationState Run(Docket docket) =>
        new RelocationEngine(_tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(docket, _recorder, CancellationToken.None);

    private string Why() => _recorder.Last.Failure?.ToString() ?? "";
}
