using System.Diagnostics;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Programs go on saving, in every way in which programs save, while their folder is relocated there and back; what
/// they know that they have saved is in the live place after each switch, also when the agent dies on the way.
/// </summary>
public sealed class WriterTests
{
    private const int PerTree = 25;

    /// <summary>Adds rows to a database that keeps a write-ahead log, and says how many are committed.</summary>
    private const string Ledger = """
        import sqlite3, signal, sys, random
        ended = []
        signal.signal(signal.SIGTERM, lambda *_: ended.append(1))
        db = sqlite3.connect(sys.argv[1], isolation_level=None)
        db.execute('PRAGMA journal_mode=WAL'); db.execute('PRAGMA synchronous=OFF')
        db.execute('CREATE TABLE IF NOT EXISTS ledger (n INTEGER PRIMARY KEY, text TEXT)')
        rows = db.execute('SELECT count(*) FROM ledger').fetchone()[0]; dice = random.Random(int(sys.argv[2])); print('begun', flush=True)
        while not ended:
            db.execute('BEGIN')
            for _ in range(dice.randrange(1, 40)):
                db.execute('INSERT INTO ledger (text) VALUES (?)', ('x' * dice.randrange(400),)); rows += 1
            db.execute('COMMIT')
        print(rows, flush=True)
        import os; os._exit(0)
        """;

    [Fact]
    [Trait("Category", "soak")]
    public void What_programs_have_saved_is_in_the_live_place_after_every_switch_I3()
    {
        foreach (var chunk in Soak.Chunks("writers", 12, 2_000, PerTree))
        {
            using var desk = new Desk(chunk[0]);
            foreach (var seed in chunk)
                desk.Relocate(seed);
        }
    }

    private sealed class Desk : IDisposable
    {
        private readonly LinuxTree _tree = new(megabytes: 256);
        private readonly string _report = Directory.CreateTempSubdirectory("furlough-writer-").FullName;
        private readonly string _writer = Soak.Program("writer");
        private readonly MemoryJournal _journal = new();
        private RelocationChange? _switched;
        private int _supersession;

        internal Desk(int seed)
        {
            _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/disk/Documents\"\n");
            _tree.MountVolume(
                (seed / PerTree % 4) switch
                {
                    0 => "ext4",
                    1 => "xfs",
                    2 => "btrfs",
                    _ => "tmpfs",
                },
                $"{_tree.Home}/disk",
                320
            );
            _tree.FillHard(Home, 200, sparseMegabytes: 2);
            LinuxTree.Sh($"mkdir {Home}/work; chown -R 1701:1701 {_tree.Home}/disk/Documents {_report}");
        }

        private string Home => $"{_tree.Home}/disk/Documents";

        private string Live => _switched is null ? Home : $"{_tree.Root}/data/People/asa.lind/Documents";

        public void Dispose()
        {
            _tree.Dispose();
            Directory.Delete(_report, recursive: true);
        }

        internal void Relocate(int seed)
        {
            var random = new Random(seed);
            LinuxTree.Sh($"rm -f {_report}/* {Live}/work/*");
            var docket = _switched is { } done
                ? Dockets.Return(done) with
                {
                    Supersession = ++_supersession,
                }
                : Dockets.Relocate(
                    _tree.Survey(),
                    "Documents",
                    "People/asa.lind/Documents",
                    v => v.Root == "/data",
                    Method.Warm
                ) with
                {
                    Supersession = ++_supersession,
                };
            using var writer = AsAccount(_writer, $"{seed}", $"{Live}/work", _report);
            using var ledger = AsAccount("/usr/bin/python3", "-c", Ledger, $"{Live}/work/ledger.db", $"{seed}");
            var rows = "";
            var recorder = new Recorder
            {
                // The account is locked out: its programs are ended, and know what they have saved.
                OnChange = change =>
                {
                    if (change.Step != Step.Quiesce || rows.Length > 0)
                        return;
                    rows = End(ledger).Trim();
                    End(writer);
                },
            };
            var writes = 0;
            var crashAt = random.Next(2) == 0 ? int.MaxValue : random.Next(1, 60);
            _journal.Before = _ =>
            {
                if (++writes == crashAt)
                    throw new OperationCanceledException("killed");
            };
            RelocationState? end = null;
            try
            {
                while (end is null)
                {
                    try
                    {
                        end = Run(docket, recorder);
                    }
                    catch (OperationCanceledException) when (writes >= crashAt)
                    {
                        crashAt = int.MaxValue;
                    }
                }
            }
            finally
            {
                foreach (var program in (Process[])[writer, ledger])
                    if (!program.HasExited)
                        program.Kill();
            }
            var back = docket.Work == DocketWork.Return;
            end.ShouldBe(
                back ? RelocationState.Returned : RelocationState.Switched,
                $"seed {seed}: {recorder.Last.Failure}"
            );
            _switched = back ? null : recorder.Last;

            rows.ShouldNotBeEmpty();
            LinuxTree
                .Sh(
                    $"cd {_report}; for f in *; do cmp $f {Live}/work/$f; done; cd {Live}/work; for f in file-*; "
                        + $"do [ ! -e $f ] || [ -e {_report}/$f ] || echo only here: $f; done"
                )
                .ShouldBeEmpty($"seed {seed}");
            AsAccountOutput(
                    "/usr/bin/python3",
                    "-c",
                    "import sqlite3,sys; db=sqlite3.connect(sys.argv[1]); print(db.execute('PRAGMA "
                        + "integrity_check').fetchone()[0], db.execute('SELECT count(*) FROM ledger').fetchone()[0])",
                    $"{Live}/work/ledger.db"
                )
                .Trim()
                .ShouldBe($"ok {rows}", $"seed {seed}");

            _journal.Before = _ => { };
            Run(Dockets.Discard(recorder.Last) with { Supersession = ++_supersession }, recorder)
                .ShouldBe(RelocationState.Finished, $"seed {seed}: {recorder.Last.Failure}");
        }

        /// <summary>An engine that dies takes what it watched with it: the kernel gives one user 128 watches.</summary>
        private RelocationState Run(Docket docket, Recorder recorder)
        {
            using var engine = new RelocationEngine(
                _tree.Machine(),
                _journal,
                new OpenPermits(),
                new PlainSigner(),
                TimeProvider.System
            );
            return engine.Run(docket, recorder, CancellationToken.None);
        }

        private static Process AsAccount(params string[] command)
        {
            var process = Process.Start(
                new ProcessStartInfo("setpriv", ["--reuid=1701", "--regid=1701", "--clear-groups", .. command])
                {
                    RedirectStandardOutput = true,
                }
            )!;
            process.StandardOutput.ReadLine().ShouldBe("begun");
            return process;
        }

        private static string AsAccountOutput(params string[] command)
        {
            using var process = Process.Start(
                new ProcessStartInfo("setpriv", ["--reuid=1701", "--regid=1701", "--clear-groups", .. command])
                {
                    RedirectStandardOutput = true,
                }
            )!;
            var said = process.StandardOutput.ReadToEnd();
            process.WaitForExit();
            return said;
        }

        private static string End(Process program)
        {
            LinuxTree.Sh($"kill -TERM {program.Id} 2>/dev/null || true");
            var said = program.StandardOutput.ReadToEnd();
            program.WaitForExit();
            program.ExitCode.ShouldBe(0);
            return said;
        }
    }
}
