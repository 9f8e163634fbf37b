using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Real target volumes that turn read-only, die, or come back elsewhere; and other things that are not as the docket
/// says.
/// </summary>
public sealed class FailingVolumeTests : IDisposable
{
    private const string OneFolder = "XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n";

    private readonly LinuxTree _tree = new("xfs", 320);
    private readonly MemoryJournal _journal = new();
    private readonly Recorder _recorder = new();

    public FailingVolumeTests()
    {
        _tree.Setting(OneFolder);
        LinuxTree.Sh(
            $"""
            mkdir -p {_tree.Home}/Documents/a/b; cd {_tree.Home}/Documents
            for i in $(seq 150); do echo "quadrat $i" > plot-$i; done;
            ln plot-1 a/further; ln -s nowhere link;
            echo deep > a/b/c; truncate -s 2M a/hole
            setfacl -m u:1900:r plot-2; setfacl -d -m g:1900:rx a; setfattr -n user.origin -v field plot-3; chown -R 1701:1701 .
            """
        );
    }

    private string Data => $"{_tree.Root}/data";

    public void Dispose() => _tree.Dispose();

    public static TheoryData<string, Step> Failures()
    {
        var all = new TheoryData<string, Step>();
        foreach (var how in (string[])["mount -o remount,ro {0}", "xfs_io -x -c shutdown {0}"])
        foreach (var step in (Step[])[Step.Prepare, Step.Copy, Step.Prove, Step.Repoint, Step.SetAside])
            all.Add(how, step);
        return all;
    }

    [Theory]
    [MemberData(nameof(Failures))]
    public void A_target_that_turns_read_only_or_dies_loses_nothing_and_a_later_attempt_succeeds_I2_I3(
        string how,
        Step at
    )
    {
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        At(at, () => LinuxTree.Sh(string.Format(System.Globalization.CultureInfo.InvariantCulture, how, Data)));
        Run(docket).ShouldBe(RelocationState.Failed);
        var failure = _recorder.Last.Failure!;
        failure.Code.ShouldBeOneOf("volume-read-only", "file-unreadable", "volume-absent");
        failure.Where.ShouldContain($"the data lives at its source, `/home/asa.lind/Documents`");
        failure.Next.ShouldBe(NextStep.Retry);
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        File.ReadAllText(_tree.UserDirs).ShouldBe(OneFolder);
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldContain("asa.lind:!:19000:0:99999:7:::");

        _tree.Unmount(Data);
        _tree.MountAgain(Data);
        Run(Again(docket)).ShouldBe(RelocationState.Switched, Why());
        LinuxTree.Difference(before, LinuxTree.Describe($"{Data}/People/asa.lind/Documents")).ShouldBeEmpty();
        (
            Directory.GetFileSystemEntries($"{Data}/People/asa.lind").Length
            + Directory.GetFileSystemEntries($"{Data}/{Layout.Dockets}").Length
        ).ShouldBe(2, "what the first attempt left is gone");
    }

    [Theory]
    [InlineData(Step.Copy)]
    [InlineData(Step.Prove)]
    [InlineData(Step.Repoint)]
    public void A_target_that_comes_back_at_another_mount_point_stops_the_work_and_is_found_by_the_next_I11(Step at)
    {
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        At(at, () =>
        {
            _tree.Detach(Data);
            Directory.CreateDirectory($"{_tree.Root}/elsewhere");
            _tree.MountAgain($"{_tree.Root}/elsewhere");
        });
        Run(docket).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("volume-elsewhere");
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        Directory.GetFileSystemEntries(Data).ShouldBeEmpty("nothing is written below the empty mount point");
        Run(Again(docket)).ShouldBe(RelocationState.Switched, Why());
        File.ReadAllText(_tree.UserDirs).ShouldContain("/elsewhere/People/asa.lind/Documents");
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{_tree.Root}/elsewhere/People/asa.lind/Documents"))
            .ShouldBeEmpty();
    }

    public static TheoryData<string, string, string> WrongThings() =>
        new()
        {
            { "mv {home}/Documents {home}/Elsewhere", "source-missing", "There is no folder" },
            { "rm -rf {home}/Documents; echo x > {home}/Documents", "source-missing", "There is no folder" },
            {
                "mv {home}/Documents {home}/D; ln -s D {home}/Documents",
                "source-missing",
                "A link stands at `/home/asa.lind/Documents`"
            },
            { "rm -r {home}/Documents; echo x > {home}/Documents", "source-missing", "something else of that name" },
            { "rm -r {home}/Documents", "source-missing", "There is no folder" },
            {
                "mkdir -p {data}/People/asa.lind; echo mine > {data}/People/asa.lind/Documents",
                "target-not-empty",
                "a file of that name"
            },
            { "mkdir -p {data}/People; ln -s /etc {data}/People/asa.lind", "behind-link", "is not what it should be" },
            { "echo x > {data}/People", "file-operation-failed", "not a directory" },
            { "mkdir -p {data}/People/asa.lind/Documents/old", "target-not-empty", "`old`" },
            {
                "umount {data}; mkfs.xfs -q -f {image}; mount -o loop {image} {data}; cp {marker} {data}/{name}",
                "volume-not-as-surveyed",
                "another one than surveyed"
            },
            {
                "mkdir {home}/Documents/loop; mount --bind {home} {home}/Documents/loop",
                "other-volume",
                "another volume is mounted here"
            },
            {
                "mkdir {home}/Documents/loop; mount --bind {home}/Documents {home}/Documents/loop",
                "other-volume",
                "another volume is mounted here"
            },
            { "mount -o remount,ro {data}", "volume-read-only", "cannot be written" },
            { "mknod {home}/Documents/null c 1 3", "device-node", "is a device node" },
            {
                "echo x > {home}/Documents/sealed; chattr +i {home}/Documents/sealed",
                "cannot-be-copied",
                "nobody can change it"
            },
            {
                "mkdir {home}/Documents/sealed; chattr +a {home}/Documents/sealed",
                "cannot-be-copied",
                "nobody can change it"
            },
        };

    [Theory]
    [MemberData(nameof(WrongThings))]
    public void What_is_not_as_the_docket_says_is_told_and_nothing_is_changed_I7_I8_I11(
        string script,
        string code,
        string words
    )
    {
        var docket = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        var marker = Path.GetTempFileName();
        File.Copy($"{Data}/{Layout.VolumeMarker}", marker, overwrite: true);
        LinuxTree.Sh(
            script
                .Replace("{home}", _tree.Home, StringComparison.Ordinal)
                .Replace("{data}", Data, StringComparison.Ordinal)
                .Replace("{image}", _tree.Image(0), StringComparison.Ordinal)
                .Replace("{marker}", marker, StringComparison.Ordinal)
                .Replace("{name}", Layout.VolumeMarker, StringComparison.Ordinal)
        );
        var before = Everything();
        Run(docket).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe(code, f.ToString()),
            f => f.Text.ShouldContain(words),
            f => f.Where.ShouldContain("Nothing has changed"),
            f => (f.Remedy.Length > 0 || f.Next != NextStep.None).ShouldBeTrue("what to do is said")
        );
        LinuxTree.Difference(before, Everything()).ShouldBeEmpty();
        LinuxTree.Sh(
            $"umount {_tree.Home}/Documents/loop 2>/dev/null || true; chattr -i -a {_tree.Home}/Documents/sealed 2>/dev/null || true"
        );
        File.Delete(marker);
    }

    [Fact]
    public void A_holding_that_is_a_whole_volume_is_told_as_such_and_left_alone()
    {
        _tree.MountVolume("ext4", $"{_tree.Home}/Documents", 32);
        LinuxTree.Sh(
            $"chown 1701:1701 {_tree.Home}/Documents; echo mine > {_tree.Home}/Documents/note; chown 1701:1701 {_tree.Home}/Documents/note"
        );
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents", v => v.Root == "/data"))
            .ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("source-is-volume", f.ToString()),
            f => f.Text.ShouldContain("a volume of its own is mounted at `/home/asa.lind/Documents`"),
            f => f.Where.ShouldContain("Nothing has changed")
        );
        File.ReadAllText($"{_tree.Home}/Documents/note").ShouldBe("mine\n");
    }

    private string Everything() =>
        LinuxTree.Sh(
            $"cd {_tree.Root}; find . -xdev -not -path './home/asa.lind/Documents/loop/*' -printf '%p %y %m %U\n' "
                + "-type f -printf '%s\n' | sort; cd data; find . -printf '%p %y %m %U\n' -type f -printf '%s\n' | "
                + $"sort; cat {_tree.UserDirs} {_tree.Root}/etc/shadow"
        );

    private void At(Step step, Action act) =>
        _recorder.OnChange = change =>
        {
            if (change.Step != step || change.State != RelocationState.UnderWay)
                return;
            _recorder.OnChange = _ => { };
            act();
        };

    private static Docket Again(Docket docket) =>
        docket with
        {
            Id = Guid.CreateVersion7(),
            Supersession = 2,
            Supersedes = [docket.Id],
        };

    private RelocationState Run(Docket docket) =>
        new RelocationEngine(_tree.Machine(), _journal, new OpenPermits(), new PlainSigner(), TimeProvider.System).Run(
            docket,
            _recorder,
            CancellationToken.None
        );

    private string Why() => _recorder.Last.Failure?.ToString() ?? _recorder.Last.State.ToString();
}
