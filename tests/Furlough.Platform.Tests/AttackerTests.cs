using System.Diagnostics;
using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Three accounts race everything that they can reach against every step of relocations, returns and discards. Whatever
/// comes of these: nothing outside the holding changes, nobody reads what was closed to them, and what the account
/// itself left alone is where the machine says that the data lives.
/// </summary>
public sealed class AttackerTests(ITestOutputHelper output)
{
    private const int PerTree = 25;

    [Fact]
    [Trait("Category", "soak")]
    public void Whatever_accounts_race_nothing_else_changes_and_nothing_is_lost_I2_I8_I12()
    {
        var ends = new Dictionary<string, int>();
        foreach (var chunk in Soak.Chunks("attackers", 20, 2_000, PerTree))
        {
            using var site = new Site();
            foreach (var seed in chunk)
            {
                var end = site.Race(seed);
                ends[end] = ends.GetValueOrDefault(end) + 1;
            }
        }
        output.WriteLine(string.Join(", ", ends.OrderByDescending(e => e.Value).Select(e => $"{e.Key} {e.Value}")));
        ends.Keys.ShouldContain(
            "switched",
            $"an attack that stops everything shows nothing: {string.Join(", ", ends)}"
        );
    }

    /// <summary>A desk with three people, one of whom has a holding that goes there and back.</summary>
    private sealed class Site : IDisposable
    {
        private readonly LinuxTree _tree = new(megabytes: 256);
        private readonly MemoryJournal _journal = new();
        private readonly Recorder _recorder = new();
        private readonly string _racer = Soak.Program("racer");
        private readonly string _others,
            _quiet;
        private RelocationChange? _switched;
        private int _supersession;

        internal Site()
        {
            _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
            _tree.FillHard(Home, 60, sparseMegabytes: 2);
            LinuxTree.Sh(
                $$"""
                cd {{_tree.Root}}; echo 'mara:x:1702:1702::/home/mara:/bin/sh' >> etc/passwd; echo 'mara:!:19000:0:99999:7:::' >> etc/shadow
                mkdir -p secrets/below data/others data/People; mkdir -m 1777 shared
                for a in keeper mara; do mkdir -p home/$a/quiet home/$a/raced; echo "of $a" > home/$a/quiet/diary; chmod 700 home/$a; done;
                chown -R 1900:1900 home/keeper; chown -R 1702:1702 home/mara
                for i in 1 2 3; do echo "secret $i" > secrets/file-$i; echo "deep $i" > secrets/below/deep-$i; done;
                chmod 600 secrets/file-*; chmod 700 secrets/below; echo other > data/others/file
                mkdir -p {{Home}}/quiet/below {{_tree.Home}}/raced;
                for i in $(seq 20); do echo "kept $i" > {{Home}}/quiet/below/file-$i; done;
                chown -R 1701:1701 {{Home}}/quiet {{_tree.Home}}/raced
                """
            );
            (_others, _quiet) = (Others(), Quiet(Home));
        }

        private string Home => $"{_tree.Home}/Documents";

        private string Target => $"{_tree.Root}/data/People/asa.lind/Documents";

        public void Dispose() => _tree.Dispose();

        /// <summary>
        /// Carries out the next piece of work under attack and looks at everything; says how it ended.
        /// </summary>
        internal string Race(int seed)
        {
            var docket = Next(seed);
            List<Process> racers =
            [
                Start(seed * 3, 1701, _tree.Home, Live),
                Start(seed * 3 + 1, 1702, $"{_tree.Root}/home/mara", "-"),
                Start(seed * 3 + 2, 1900, $"{_tree.Root}/home/keeper", "-"),
            ];
            RelocationState end;
            // Mostly the account is locked out and its programs end at quiesce, or else little would ever be switched;
            // at every third it goes on to the end.
            _recorder.OnChange = change =>
            {
                if (seed % 3 != 0 && change.Step == Step.Quiesce)
                    End(racers[0]);
            };
            try
            {
                using var engine = new RelocationEngine(
                    _tree.Machine(),
                    _journal,
                    new OpenPermits(),
                    new PlainSigner(),
                    TimeProvider.System
                );
                end = engine.Run(docket, _recorder, CancellationToken.None);
            }
            finally
            {
                foreach (var racer in racers)
                    using (racer)
                        End(racer);
            }
            if (end == RelocationState.Switched)
                _switched = _recorder.Last;
            if (end == RelocationState.Returned)
                _switched = null;
            LinuxTree
                .Difference(_others, Others())
                .ShouldBeEmpty($"seed {seed}, {docket.Work}, {end}: {_recorder.Last.Failure}");
            LinuxTree
                .Difference(_quiet, Quiet(Live))
                .ShouldBeEmpty($"seed {seed}, {docket.Work}, {end}: {_recorder.Last.Failure}");
            LinuxTree
                .Sh(
                    $"find {Live} -user 1701 -type f -readable -exec grep -l '^secret \\|^deep ' {"{}"} + 2>/dev/null || true"
                )
                .ShouldBeEmpty($"seed {seed}: what was closed to the account is among its files");
            Tidy();
            return _recorder.Last.Failure is { } failure ? $"{docket.Work.Word()} {failure.Code}" : end.Word();
        }

        private static void End(Process racer)
        {
            LinuxTree.Sh($"kill -TERM {racer.Id} 2>/dev/null || true");
            if (!racer.WaitForExit(20_000))
                racer.Kill(entireProcessTree: true);
        }

        private string Live => _switched is null ? Home : Target;

        /// <summary>There, or after that back, with a discard of what was set aside now and then.</summary>
        private Docket Next(int seed)
        {
            if (_switched is { } done)
                return seed % 4 == 0
                    ? Dockets.Discard(done) with
                    {
                        Supersession = ++_supersession,
                    }
                    : Dockets.Return(done) with
                    {
                        Supersession = ++_supersession,
                    };
            return Dockets.Relocate(
                _tree.Survey(),
                "Documents",
                "People/asa.lind/Documents",
                v => v.Root == "/data",
                seed % 2 == 0 ? Method.Warm : Method.Cold
            ) with
            {
                Supersession = ++_supersession,
            };
        }

        private Process Start(int seed, uint user, string home, string holding)
        {
            List<string> raced =
                holding == "-" ? [] : [holding, $"{holding}/batch-000", $"{_tree.Root}/data/People/asa.lind"];
            return Process.Start(
                new ProcessStartInfo(
                    "setpriv",
                    [
                        $"--reuid={user}",
                        $"--regid={user}",
                        "--clear-groups",
                        _racer,
                        $"{seed}",
                        $"{_tree.Root}/secrets",
                        holding,
                        home + "/raced",
                        $"{_tree.Root}/shared",
                        home,
                        .. raced,
                    ]
                )
            )!;
        }

        /// <summary>Everything that is nobody's to change here: bytes, modes, owners, times.</summary>
        private string Others() =>
            LinuxTree.Sh(
                $$"""
                cd {{_tree.Root}}
                find etc secrets data/others home/mara/quiet home/keeper/quiet -printf '%p %y %m %U %G %s %T@\n' |
                grep -v '^etc d \|^etc/shadow \|^etc/.pwd.lock ' | sort
                stat -c '%a %u %g' etc/shadow
                find etc secrets data/others home/mara/quiet home/keeper/quiet -type f ! -name .pwd.lock -print0 |
                sort -z | xargs -0 sha256sum
                """
            );

        private static string Quiet(string holding) =>
            LinuxTree.Sh(
                $"cd {holding}/quiet; find . -printf '%p %y %m %U %G %T@\\n' | sort; find . -type f -print0 | sort -z | xargs -0 sha256sum"
            );

        /// <summary>
        /// The next piece of work begins where something can come of it: what the racers left is theirs to take away.
        /// </summary>
        private void Tidy() =>
            LinuxTree.Sh(
                $"rm -rf {_tree.Home}/Documents-away {_tree.Root}/data/People/asa.lind/Documents-away; find "
                    + $"{Live} -name 'raced-*' -prune -exec rm -rf {"{}"} +; find {_tree.Home} "
                    + $"{_tree.Root}/data/People/asa.lind -maxdepth 1 -name 'raced-*' -exec rm -rf {"{}"} + 2>/dev/null || true"
            );
    }
}
