using System.Diagnostics;
using System.Runtime.InteropServices;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>Who holds files of a holding, by whatever path they came to them.</summary>
public sealed class TreeUseTests : IDisposable
{
    private readonly LinuxTree _tree = new();

    public TreeUseTests()
    {
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
        _tree.FillHard(Documents, 30);
        LinuxTree.Sh(
            $"truncate -s 20M {Documents}/image; mkfs.ext4 -q -F {Documents}/image; mkdir {_tree.Root}/bound "
                + $"{_tree.Root}/inner; chown 1701:1701 {Documents}/image"
        );
    }

    private string Documents => $"{_tree.Home}/Documents";

    public void Dispose()
    {
        LinuxTree.Sh(
            $"umount -l {_tree.Root}/bound 2>/dev/null || true; umount -l {_tree.Root}/inner 2>/dev/null || true"
        );
        _tree.Dispose();
    }

    [Theory]
    [InlineData("tail -f {0}/one", "tail")]
    [InlineData("mount --bind {0} {1}/bound; cd {1}/bound/sub; umount -l {1}/bound; sleep 60", "sleep")]
    [InlineData("mount --bind {2} {1}/bound; exec 3<>{1}/bound/Documents/one; umount -l {1}/bound; sleep 60", "sleep")]
    [InlineData("ln {0}/with-xattr {2}/elsewhere; exec 3<>{2}/elsewhere; sleep 60", "sleep")]
    [InlineData("mount --bind {0} {1}/bound; sleep 60", "a part of it is mounted at")]
    [InlineData("unshare -m sh -c 'mount --bind {0}/sub {1}/bound; sleep 60'", "a part of it is mounted at")]
    [InlineData("mount -o loop {0}/image {1}/inner; sleep 60", "attached as /dev/loop")]
    [InlineData(
        "python3 -c 'import mmap,sys,time; f=open(\"{0}/one\",\"r+b\"); m=mmap.mmap(f.fileno(),0); f.close(); time.sleep(60)'",
        "python3"
    )]
    public void A_cold_relocation_waits_for_whoever_holds_a_file_whatever_its_path(string script, string who)
    {
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        using var holder = Process.Start(
            new ProcessStartInfo(
                "setsid",
                [
                    "bash",
                    "-ec",
                    string.Format(
                        System.Globalization.CultureInfo.InvariantCulture,
                        script,
                        Documents,
                        _tree.Root,
                        _tree.Home
                    ),
                ]
            )
        )!;
        try
        {
            IReadOnlyList<string> inUse = [];
            for (var look = 0; look < 200 && !inUse.Any(u => u.Contains(who, StringComparison.Ordinal)); look++)
            {
                inUse = _tree.Machine().Activity.InUse(docket.Source);
                CancellationToken.None.WaitHandle.WaitOne(50);
            }
            string.Join('\n', inUse).ShouldContain(who);
            var recorder = new Recorder();
            new RelocationEngine(
                _tree.Machine(),
                new MemoryJournal(),
                new OpenPermits(),
                new PlainSigner(),
                TimeProvider.System
            )
                .Run(docket, recorder, CancellationToken.None)
                .ShouldBe(RelocationState.Failed);
            recorder.Last.Failure!.Code.ShouldBe("files-in-use");
            Directory.Exists(Documents).ShouldBeTrue();
        }
        finally
        {
            LinuxTree.Sh($"pkill -KILL -s {holder.Id} || true");
            holder.Kill(entireProcessTree: true);
            holder.WaitForExit();
        }
    }

    [Fact]
    public void Programs_that_the_agent_itself_starts_are_nobodys_hindrance_in_the_moment_before_they_run()
    {
        var machine = _tree.Machine();
        var source = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents").Source;
        using var open = new FileStream($"{Documents}/one", FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
        // What starting a program is before that runs: a copy of this one, with everything open.
        var copy = Fork();
        while (copy == 0)
            _ = Pause();
        try
        {
            File.ResolveLinkTarget($"/proc/{copy}/exe", false)!.FullName.ShouldBe(Environment.ProcessPath);
            Directory
                .GetFiles($"/proc/{copy}/fd")
                .ShouldContain(f => File.ResolveLinkTarget(f, false)!.FullName == open.Name);
            machine.Activity.InUse(source).ShouldBeEmpty();
        }
        finally
        {
            _ = Kill(copy, 9);
            _ = WaitFor(copy, 0, 0);
        }
    }

    [DllImport("libc", EntryPoint = "fork")]
    private static extern int Fork();

    [DllImport("libc", EntryPoint = "pause")]
    private static extern int Pause();

    [DllImport("libc", EntryPoint = "kill")]
    private static extern int Kill(int process, int signal);

    [DllImport("libc", EntryPoint = "waitpid")]
    private static extern int WaitFor(int process, nint status, int options);

    [Fact]
    public void Files_of_the_same_volume_that_are_open_elsewhere_are_nobodys_hindrance()
    {
        LinuxTree.Sh(
            $"echo x > {_tree.Home}/other; mkdir {_tree.Home}/Documents-2; echo y > {_tree.Home}/Documents-2/one"
        );
        using var holder = Process.Start("tail", ["-f", $"{_tree.Home}/other", $"{_tree.Home}/Documents-2/one"]);
        try
        {
            _tree
                .Machine()
                .Activity.InUse(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents").Source)
                .ShouldBeEmpty();
        }
        finally
        {
            holder.Kill();
            holder.WaitForExit();
        }
    }
}
