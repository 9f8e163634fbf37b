using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// The agent has all rights over folders that belong to people. Here an account uses that against it, while the engine
/// runs.
/// </summary>
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
        LinuxTree.Sh(
            $"mkdir -m 700 {_tree.Root}/home/keeper/private; echo '{Secret}' > "
                + $"{_tree.Root}/home/keeper/private/count-00000.txt; chmod 600 "
                + $"{_tree.Root}/home/keeper/private/count-00000.txt; chown -R 1900:1900 {_tree.Root}/home/keeper"
        );
        _tree.FillHard(Documents, 1_500);
    }

    private string Documents => $"{_tree.Home}/Documents";

    private string Target => $"{_tree.Root}/data/People/asa.lind/Documents";

    public void Dispose() => _tree.Dispose();

    [Fact]
    public void A_folder_swapped_for_a_link_all_the_time_never_brings_foreign_content_to_the_target_I8()
    {
        using var stop = new CancellationTokenSource();
        var (copying, swaps) = (false, 0);
        _recorder.OnChange = change => Volatile.Write(ref copying, change.Step == Step.Copy);
        var (folder, away) = ($"{Documents}/batch-000", $"{Documents}/batch-away");
        var swapper = Start(() =>
        {
            while (!stop.IsCancellationRequested)
            {
                try
                {
                    Directory.Move(folder, away);
                    Directory.CreateSymbolicLink(folder, $"{_tree.Root}/home/keeper/private");
                    if (Volatile.Read(ref copying))
                        Interlocked.Increment(ref swaps);
                    stop.Token.WaitHandle.WaitOne(Pause);
                    File.Delete(folder);
                    Directory.Move(away, folder);
                }
                catch (IOException)
                {
                    // The source was renamed meanwhile: as soon as it stands there again, it goes on.
                    PutBack(folder, away);
                }
                stop.Token.WaitHandle.WaitOne(Pause);
            }
        });
        // However busy the machine is: until it has been swapped often enough while it was copied.
        for (var attempt = 1; attempt <= 5 || (Volatile.Read(ref swaps) < 20 && attempt <= 60); attempt++)
            if (Run(Docket() with { Supersession = attempt * 2 }) == RelocationState.Switched)
                Run(Dockets.Return(_recorder.Last) with { Supersession = (attempt * 2) + 1 });
        stop.Cancel();
        swapper.Join();
        swaps.ShouldBeGreaterThanOrEqualTo(20, "swaps while it was copied");
        LinuxTree.Sh($"grep -rlsF '{Secret}' {_tree.Root}/data {_tree.Home} --include='*' || true").ShouldBeEmpty();
        File.ReadAllText($"{_tree.Root}/home/keeper/private/count-00000.txt").ShouldContain(Secret);
    }

    private static void PutBack(string folder, string away)
    {
        try
        {
            if (new FileInfo(folder).LinkTarget is not null)
                File.Delete(folder);
            if (Directory.Exists(away) && !Directory.Exists(folder))
                Directory.Move(away, folder);
        }
        catch (IOException)
        {
            // Again at the next turn.
        }
    }

    [Fact]
    public void A_planted_hard_link_to_a_foreign_file_gives_nobody_its_content_and_discarding_leaves_the_file_alone_I12()
    {
        var foreign = $"{_tree.Root}/home/keeper/private/count-00000.txt";
        LinuxTree.Sh($"ln {foreign} {Documents}/mine.txt");
        Run(Docket()).ShouldBe(RelocationState.Switched, Why());
        LinuxTree.Sh($"stat -c '%u %a' {Target}/mine.txt").Trim().ShouldBe("1900 600");
        LinuxTree
            .Sh($"setpriv --reuid=1701 --regid=1701 --clear-groups cat {Target}/mine.txt 2>&1 || true")
            .ShouldNotContain(Secret);
        Run(Dockets.Discard(_recorder.Last)).ShouldBe(RelocationState.Finished, Why());
        File.ReadAllText(foreign).ShouldContain(Secret);
        LinuxTree.Sh($"stat -c '%u %a %h' {foreign}").Trim().ShouldBe("1900 600 1");
    }

    [Fact]
    public void A_link_put_in_the_place_of_the_source_or_the_target_stops_the_docket_I8()
    {
        LinuxTree.Sh($"mv {Documents} {_tree.Home}/elsewhere; ln -s {_tree.Root}/home/keeper/private {Documents}");
        Run(Docket() with { Files = 1 }).ShouldBe(RelocationState.Failed);
        LinuxTree.Sh(
            $"rm {Documents}; mv {_tree.Home}/elsewhere {Documents}; mkdir -p {_tree.Root}/data/People; ln -s "
                + $"{_tree.Root}/home/keeper/private {_tree.Root}/data/People/asa.lind"
        );
        Run(Docket() with { Supersession = 2 }).ShouldBe(RelocationState.Failed);
        Directory.GetFileSystemEntries($"{_tree.Root}/home/keeper/private").Length.ShouldBe(1);
    }

    [Fact]
    public void An_account_cannot_reach_its_original_and_a_discard_removes_nothing_else_I8_I10()
    {
        Run(Docket()).ShouldBe(RelocationState.Switched, Why());
        var original =
            $"{_tree.Root}/{Layout.Dockets}/{Layout.FolderOf(_recorder.Last.Docket.Id, DocketSide.Original)}";
        AsAccount(
            $"ls {original}; ln -s {_tree.Root}/home/keeper/private {original}/original/way; mv "
                + $"{_tree.Root}/{Layout.Dockets} {_tree.Home}/mine"
        );
        Directory
            .GetFileSystemEntries($"{original}/original")
            .ShouldNotContain(e => e.EndsWith("/way", StringComparison.Ordinal));
        Run(Dockets.Discard(_recorder.Last)).ShouldBe(RelocationState.Finished, Why());
        File.ReadAllText($"{_tree.Root}/home/keeper/private/count-00000.txt").ShouldContain(Secret);
        Directory.Exists(Target).ShouldBeTrue();
    }

    /// <summary>What an account can rename it can replace between two steps.</summary>
    [Theory]
    [InlineData(Method.Cold, true)]
    [InlineData(Method.Warm, true)]
    [InlineData(Method.Adopt, true)]
    [InlineData(Method.Cold, false)]
    [InlineData(Method.Warm, false)]
    public void Nothing_of_ours_stands_at_any_step_where_the_account_could_put_another_in_its_stead_I8_I14(
        Method method,
        bool worked
    )
    {
        if (method == Method.Adopt)
            LinuxTree.Sh(
                $"mkdir -p {_tree.Root}/data/People/asa.lind; cp -a {Documents} {Target}; chown 1701:1701 "
                    + $"{_tree.Root}/data/People/asa.lind; chmod 700 {_tree.Root}/data/People/asa.lind"
            );
        List<string> seen = [];
        var looks = 0;
        _recorder.OnChange = change =>
        {
            looks++;
            seen.AddRange(
                AsAccount(
                        $"find {_tree.Root} -xdev -name '.furlough-*' -writable 2>/dev/null; find "
                            + $"{_tree.Root}/data -name '.furlough-*' -writable 2>/dev/null; find {_tree.Home} "
                            + $"{_tree.Root}/data/People -name '.furlough-*' 2>/dev/null"
                    )
                    .Split('\n', StringSplitOptions.RemoveEmptyEntries)
                    .Select(s => $"{change.Step}: {s}")
            );
        };
        Run(Docket() with { Method = method }).ShouldBe(RelocationState.Switched, Why());
        var switched = _recorder.Last;
        // Where someone has worked since, a return copies; else it renames the original back.
        if (worked)
            AsAccount($"echo new > {Target}/since");
        Run(Dockets.Return(switched)).ShouldBe(RelocationState.Returned, Why());
        if (!worked)
            Run(Dockets.Discard(_recorder.Last)).ShouldBe(RelocationState.Finished, Why());
        else
            Run(
                    Dockets.Discard(switched) with
                    {
                        Target = _recorder.Last.Docket.Target,
                        TargetVolume = _recorder.Last.Docket.TargetVolume,
                        Pointers =
                        [
                            .. _recorder.Last.Pointers.Select(p => new PointerChange(p.Address, p.After, p.After)),
                        ],
                    }
                )
                .ShouldBe(RelocationState.Finished, Why());
        looks.ShouldBeGreaterThan(15);
        seen.ShouldBeEmpty();
    }

    /// <summary>A volume whose root an account owns has no folder in which that account can rename nothing.</summary>
    [Theory]
    [InlineData("chown 1701:1701 {0}", "no-closed-folder")]
    [InlineData("chmod 777 {0}", "no-closed-folder")]
    [InlineData("chgrp 1701 {0}; chmod 775 {0}", "no-closed-folder")]
    [InlineData("chmod 1777 {0}", null)]
    [InlineData(
        "chmod 1777 {0}; mkdir -m 777 {0}/.furlough-dockets; chown 1701 {0}/.furlough-dockets",
        "docket-folder-replaced"
    )]
    public void Without_a_folder_that_only_the_system_can_change_nothing_is_begun_I8(string script, string? code)
    {
        LinuxTree.Sh(string.Format(System.Globalization.CultureInfo.InvariantCulture, script, $"{_tree.Root}/data"));
        var before = LinuxTree.Describe(Documents);
        Run(Docket()).ShouldBe(code is null ? RelocationState.Switched : RelocationState.Failed, Why());
        if (code is null)
            return;
        _recorder.Last.Failure!.Code.ShouldBe(code);
        LinuxTree.Difference(before, LinuxTree.Describe(Documents)).ShouldBeEmpty();
        Directory.Exists($"{_tree.Root}/data/People").ShouldBeFalse();
        Directory.Exists($"{_tree.Root}/{Layout.Dockets}").ShouldBeFalse();
    }

    /// <summary>
    /// What stands in an account's home is changed with that account's rights: a file of someone else that it has put
    /// there is neither read out nor rewritten.
    /// </summary>
    [Theory]
    [InlineData("ln {0}/etc/shadow {1}")]
    [InlineData("cp {0}/etc/shadow {1}; chmod 600 {1}")]
    [InlineData("ln -s {0}/etc/shadow {1}")]
    public void A_settings_file_that_is_not_the_accounts_own_is_left_alone_I6_I8(string plant)
    {
        var docket = Docket();
        LinuxTree.Sh(
            $"rm {_tree.UserDirs}; "
                + string.Format(System.Globalization.CultureInfo.InvariantCulture, plant, _tree.Root, _tree.UserDirs)
        );
        var (before, shadow) = (
            LinuxTree.Sh($"stat -c '%u %a %F' {_tree.UserDirs}"),
            File.ReadAllText($"{_tree.Root}/etc/shadow")
        );
        Run(docket).ShouldBe(RelocationState.Failed);
        LinuxTree.Sh($"stat -c '%u %a %F' {_tree.UserDirs}").ShouldBe(before);
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldBe(shadow);
        LinuxTree.Sh($"stat -c '%u %a' {_tree.Root}/etc/shadow").Trim().ShouldBe("0 600");
    }

    [Fact]
    public void Folders_for_the_target_are_made_with_the_accounts_own_rights()
    {
        Run(Docket() with { Target = Docket().Target with { Path = "People/asa.lind/2026/winter/Documents" } })
            .ShouldBe(RelocationState.Switched, Why());
        LinuxTree
            .Sh($"cd {_tree.Root}/data/People; stat -c '%n %u %g %a' . asa.lind asa.lind/2026 asa.lind/2026/winter")
            .ShouldBe(
                ". 0 0 755\nasa.lind 1701 1701 700\nasa.lind/2026 1701 1701 700\nasa.lind/2026/winter 1701 1701 700\n"
            );
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
                if (written % 7 == 0)
                    File.WriteAllText($"{Documents}/new-{written}", "new");
                if (written % 7 == 3 && written > 7)
                    File.Delete($"{Documents}/new-{written / 7 * 7 - 7}");
                CancellationToken.None.WaitHandle.WaitOne(Pause);
            }
        });
        _recorder.OnChange = change =>
        {
            if (change.Step != Step.Quiesce)
                return;
            Volatile.Write(ref barred, true);
            writer.Join();
        };
        Run(Docket() with { Method = Method.Warm }).ShouldBe(RelocationState.Switched, Why());
        written.ShouldBeGreaterThan(20);
        var original =
            $"{_tree.Root}/{Layout.Dockets}/{Layout.FolderOf(_recorder.Last.Docket.Id, DocketSide.Original)}/original";
        LinuxTree.Difference(LinuxTree.Describe(original), LinuxTree.Describe(Target)).ShouldBeEmpty();
    }

    private static string AsAccount(string script) =>
        LinuxTree.Sh(
            "setpriv --reuid=1701 --regid=1701 --clear-groups sh -c "
                + $"'{script.Replace("'", "'\\''", StringComparison.Ordinal)}' 2>/dev/null || true"
        );

    private static Thread Start(ThreadStart work)
    {
        var thread = new Thread(work) { IsBackground = true };
        thread.Start();
        return thread;
    }

    private Docket Docket() => Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");

    private RelocationState Run(Docket docket) =>
        new RelocationEngine(_tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(
            docket,
            _recorder,
            CancellationToken.None
        );

    private string Why() => _recorder.Last.Failure?.ToString() ?? "";
}
