using System.Diagnostics;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Programs that map their files save into memory: a second save on a page that is not on the medium yet changes no
/// time of the file.
/// </summary>
public sealed class MappedFileTests
{
    /// <summary>Maps a file, then saves what it is given, line by line, and ends with the input.</summary>
    private const string Program = """
        import mmap, sys
        file = open(sys.argv[1], 'r+b'); pages = mmap.mmap(file.fileno(), 0); file.close()
        for line in sys.stdin:
            word = line.strip().encode(); pages[0:len(word)] = word; print('saved', flush=True)
        """;

    /// <summary>
    /// The first save comes long before the copy, just before it, or while it goes on; the second after the file was
    /// read and before anybody is locked out.
    /// </summary>
    [Theory]
    [InlineData("ext4", Step.Prepare)]
    [InlineData("ext4", Step.Copy)]
    [InlineData("xfs", Step.Copy)]
    [InlineData("btrfs", Step.Copy)]
    [InlineData("tmpfs", Step.Copy)]
    public void The_second_save_of_a_mapped_file_is_at_the_target_I3(string fileSystem, Step first)
    {
        using var tree = new LinuxTree();
        tree.MountVolume(fileSystem, $"{tree.Home}/disk", 320);
        LinuxTree.Sh($"mkdir {tree.Home}/disk/Documents; chown 1701:1701 {tree.Home}/disk/Documents");
        var documents = $"{tree.Home}/disk/Documents";
        tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/disk/Documents\"\n");
        tree.FillHard(documents, 50);
        LinuxTree.Sh(
            $"printf 'before%20000s' x > {documents}/ledger; chown 1701:1701 {documents}/ledger; sync -f {documents}"
        );
        var start = new ProcessStartInfo("python3", ["-c", Program, $"{documents}/ledger"])
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
        };
        using var program = Process.Start(start)!;
        var docket = Dockets.Relocate(
            tree.Survey(),
            "Documents",
            "People/asa.lind/Documents",
            v => v.Root == "/data",
            Method.Warm
        );
        var recorder = new Recorder();
        recorder.OnChange = change =>
        {
            if (change.State != RelocationState.UnderWay)
                return;
            if (change.Step == first)
                Save(program, "FIRST!");
            if (change.Step == Step.Prove)
                Save(program, "SECOND");
            if (change.Step != Step.Quiesce)
                return;
            program.StandardInput.Close();
            program.WaitForExit();
        };
        new RelocationEngine(
            tree.Machine(),
            new MemoryJournal(),
            new OpenPermits(),
            new PlainSigner(),
            TimeProvider.System
        )
            .Run(docket, recorder, CancellationToken.None)
            .ShouldBe(RelocationState.Switched, recorder.Last.Failure?.ToString());
        LinuxTree.Sh($"head -c 6 {tree.Root}/data/People/asa.lind/Documents/ledger").ShouldBe("SECOND");
    }

    private static void Save(Process program, string word)
    {
        program.StandardInput.WriteLine(word);
        program.StandardInput.Flush();
        program.StandardOutput.ReadLine().ShouldBe("saved");
    }
}
