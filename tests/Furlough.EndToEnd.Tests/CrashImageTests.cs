using Furlough.Agent;
using Furlough.Agent.Journal;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Model;
using Furlough.Platform.Linux;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The power goes at each rename, flush, pointer write and journal write of a real relocation between two real file
/// systems: what their devices hold at that moment is copied in one instant, mounted elsewhere, and the relocation is
/// recovered there.
/// </summary>
public sealed class CrashImageTests : IDisposable
{
    private const string Settings = "XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n";

    private readonly string _folder = Directory.CreateTempSubdirectory("furlough-images-").FullName;

    public CrashImageTests() =>
        LinuxTree.Sh(
            $$"""
            cd {{_folder}}; mkdir disks root recovered
            truncate -s 2G disks.img; mkfs.xfs -q -m reflink=1 disks.img; mount -o loop disks.img disks
            for v in system data; do truncate -s 40M disks/$v; mkfs.ext4 -q -F disks/$v; done
            mount -o loop disks/system root; mkdir -p root/data root/etc root/agent root/home/asa.lind/.config root/home/asa.lind/Documents
            mount -o loop disks/data root/data
            printf 'root:x:0:0::/root:/bin/sh\nasa.lind:x:1701:1701::/home/asa.lind:/bin/sh\n' > root/etc/passwd
            printf 'root:*:19000:0:99999:7:::\nasa.lind:!:19000:0:99999:7:::\n' > root/etc/shadow; chmod 600 root/etc/shadow
            printf '{{Settings.Replace(
                "\n",
                "\\n",
                StringComparison.Ordinal
            )}}' > root/home/asa.lind/.config/user-dirs.dirs
            cd root/home/asa.lind/Documents
            for i in $(seq 40); do echo "quadrat $i" > plot-$i; done;
            mkdir -p a/b; ln plot-1 a/further; ln -s nowhere link; echo deep > a/b/c;
            truncate -s 1M a/hole; mkfifo pipe
            chown -R 1701:1701 ..; chmod 700 ..; sync -f .
            """
        );

    public void Dispose() =>
        LinuxTree.Sh(
            $"cd {_folder}; for m in recovered/data recovered root/data root disks; do umount -l $m 2>/dev/null "
                + $"|| true; done; cd /; rm -rf {_folder}"
        );

    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Warm)]
    public void Power_that_goes_at_any_durable_moment_leaves_everything_and_is_recovered_I2_I4_I5(Method method) =>
        Recover(method).ShouldBeGreaterThan(50);

    /// <summary>Relocates with a power cut at every moment; returns how many there were.</summary>
    private int Recover(Method method)
    {
        var before = LinuxTree.Describe($"{_folder}/root/home/asa.lind/Documents");
        var docket = Dockets.Relocate(
            new LinuxMachine($"{_folder}/root", null, "test", TimeProvider.System).Surveyor.Take(
                [],
                [],
                _ => false,
                CancellationToken.None
            ),
            "Documents",
            "People/asa.lind/Documents",
            method: method
        );
        var moments = 0;
        using (var store = new AgentStore($"{_folder}/root/agent/agent.db"))
        {
            store.Add(1, docket, "");
            var journal = new WatchedJournal(store, About);
            var engine = new RelocationEngine(
                new WatchedMachine(new LinuxMachine($"{_folder}/root", null, "test", TimeProvider.System), About),
                journal,
                new OpenPermits(),
                new PlainSigner(),
                TimeProvider.System
            );
            engine.Run(docket, new Recorder(), CancellationToken.None).ShouldBe(RelocationState.Switched);
        }
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{_folder}/root/data/People/asa.lind/Documents"))
            .ShouldBeEmpty();
        return moments;

        void About(string what) => RecoverHere(docket, before, $"{method}, moment {++moments}: {what}");
    }

    private void RecoverHere(Docket docket, string before, string moment)
    {
        // The settings' and the journal's volume last: what was flushed on the data volume before them is on its image.
        LinuxTree.Sh(
            $"""
            cd {_folder}; for v in data system; do cp --reflink=always disks/$v disks/$v.then; done
            mount -o loop disks/system.then recovered; mount -o loop disks/data.then recovered/data
            """
        );
        try
        {
            var root = $"{_folder}/recovered";
            LinuxTree
                .Difference(before, LinuxTree.Describe(LivePlace(root)))
                .ShouldBeEmpty($"{moment}: the live place");
            using var store = new AgentStore($"{root}/agent/agent.db");
            var recorder = new Recorder();
            new RelocationEngine(
                new LinuxMachine(root, null, "test", TimeProvider.System),
                store,
                new OpenPermits(),
                new PlainSigner(),
                TimeProvider.System
            )
                .Run(docket, recorder, CancellationToken.None)
                .ShouldBe(
                    RelocationState.Switched,
                    $"{moment}: {(recorder.Changes.Count > 0 ? recorder.Last.Failure : null)}"
                );
            LinuxTree
                .Difference(before, LinuxTree.Describe($"{root}/data/People/asa.lind/Documents"))
                .ShouldBeEmpty(moment);
            LinuxTree
                .Difference(
                    before,
                    LinuxTree.Describe(
                        $"{root}/{Layout.Dockets}/{Layout.FolderOf(docket.Id, DocketSide.Original)}/{Layout.Original}"
                    )
                )
                .ShouldBeEmpty($"{moment}: the original");
            File.ReadAllText($"{root}/home/asa.lind/.config/user-dirs.dirs")
                .ShouldBe(
                    Settings.Replace("$HOME/Documents", "/data/People/asa.lind/Documents", StringComparison.Ordinal),
                    moment
                );
            File.ReadAllText($"{root}/etc/shadow")
                .ShouldContain("asa.lind:!:19000:0:99999:7:::", customMessage: moment);
        }
        finally
        {
            LinuxTree.Sh($"cd {_folder}; umount recovered/data; umount recovered; rm disks/*.then");
        }
    }

    /// <summary>
    /// Where the setting leads; while the account is locked out between rename and setting aside the source may have
    /// been set aside already.
    /// </summary>
    private static string LivePlace(string root) =>
        File.ReadAllText($"{root}/home/asa.lind/.config/user-dirs.dirs").Contains("$HOME", StringComparison.Ordinal)
            ? $"{root}/home/asa.lind/Documents"
            : $"{root}/data/People/asa.lind/Documents";

    private sealed class WatchedJournal(IJournal journal, Action<string> about) : IJournal
    {
        public JournalState Read(Guid docket) => journal.Read(docket);

        public void Begin(Guid docket, Step step) => Write($"begin {step}", () => journal.Begin(docket, step));

        public void Done(Guid docket, Step step) => Write($"done {step}", () => journal.Done(docket, step));

        public void Record(Guid docket, StepRecord record) =>
            Write($"record {record.GetType().Name}", () => journal.Record(docket, record));

        public void Forget(Guid docket, StepRecord record) =>
            Write($"forget {record.GetType().Name}", () => journal.Forget(docket, record));

        public void Undo(Guid docket, Failure cause) => Write("undo", () => journal.Undo(docket, cause));

        public void End(Guid docket, RelocationState state) => Write($"end {state}", () => journal.End(docket, state));

        private void Write(string what, Action write)
        {
            about(what);
            write();
        }
    }
}
