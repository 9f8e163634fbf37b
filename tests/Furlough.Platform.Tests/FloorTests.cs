using Furlough.Contracts;
using Furlough.Engine;
using Furlough.Model;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// What a machine does not let be done to it, no matter who asks: an account by its settings, or a service by a docket.
/// </summary>
public sealed class FloorTests : IDisposable
{
    private readonly LinuxTree _tree = new();
    private readonly Recorder _recorder = new();

    public FloorTests()
    {
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
        _tree.FillHard($"{_tree.Home}/Documents", 10);
        LinuxTree.Sh(
            $"mkdir -p {_tree.Root}/srv/common {_tree.Root}/root/.ssh {_tree.Root}/home/keeper/Documents; echo x "
                + $"> {_tree.Root}/srv/common/file; chown -R 1900:1900 {_tree.Root}/srv/common "
                + $"{_tree.Root}/home/keeper; mkdir {_tree.Root}/srv/mine; chown 1701:1701 {_tree.Root}/srv/mine"
        );
    }

    public void Dispose() => _tree.Dispose();

    [Theory]
    [InlineData("/etc", "belongs to the system")]
    [InlineData("/etc/x", "belongs to the system")]
    [InlineData("/srv/common", "it belongs to keeper")]
    [InlineData("/srv/mine", "lies outside the home of asa.lind")]
    [InlineData("/home/keeper/Documents", "is the home of keeper, or lies in it")]
    [InlineData("/home", "is the home of keeper, or lies in it")]
    public void What_a_setting_leads_to_is_moved_only_if_it_is_the_accounts_own(string leads, string why)
    {
        LinuxTree.Sh($"mkdir -p {_tree.Root}{leads}");
        _tree.Setting($"XDG_MUSIC_DIR=\"{leads}\"\n");
        var survey = _tree.Survey();
        survey.Holdings.Single(h => h.Name.Name == "Music").Foreign.ShouldNotBeNull().ShouldContain(why);
        var before = LinuxTree.Sh($"cd {_tree.Root}{leads}; find . -printf '%P %u %m %T@\n' | sort");
        Run(Dockets.Relocate(survey, "Music", "People/asa.lind/Music")).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("source-foreign"),
            f => f.Text.ShouldContain(why)
        );
        LinuxTree.Sh($"cd {_tree.Root}{leads}; find . -printf '%P %u %m %T@\n' | sort").ShouldBe(before);
        Directory.Exists($"{_tree.Root}/data/People").ShouldBeFalse();
    }

    [Fact]
    public void A_folder_of_the_accounts_that_belongs_to_somebody_else_stays()
    {
        LinuxTree.Sh($"mkdir {_tree.Home}/Music; chown 0:0 {_tree.Home}/Music");
        _tree.Setting("XDG_MUSIC_DIR=\"$HOME/Music\"\n");
        Run(Dockets.Relocate(_tree.Survey(), "Music", "People/asa.lind/Music")).ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Text.ShouldContain("is not asa.lind's: it belongs to root");
    }

    /// <summary>A service whose key was stolen signs whatever it likes.</summary>
    [Fact]
    public void A_docket_that_goes_further_than_the_installation_allows_is_refused_and_changes_nothing()
    {
        var good = Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents");
        var system = good.SourceVolume;
        foreach (
            var (bad, words) in (ReadOnlySpan<(Docket, string)>)
                [
                    (good with { AccountId = "0" }, "calls asa.lind number 0"),
                    (
                        good with
                        {
                            Holding = good.Holding with { Account = "keeper" },
                            AccountId = "1900",
                        },
                        "is the fallback administrator"
                    ),
                    (
                        good with
                        {
                            Holding = good.Holding with { Account = "root" },
                            AccountId = "0",
                        },
                        "no account root of a person"
                    ),
                    (good with { Source = good.Source with { Path = "root/.ssh" } }, "belongs to the system"),
                    (
                        good with
                        {
                            Target = new Place(system.Key, "etc/ssh"),
                            TargetVolume = system,
                        },
                        "belongs to the system"
                    ),
                    (
                        good with
                        {
                            Target = new Place(system.Key, "People/asa.lind/Documents"),
                            TargetVolume = system,
                        },
                        "on the system's own volume"
                    ),
                    (
                        good with
                        {
                            Pointers =
                            [
                                new PointerChange(
                                    new PointerAddress("profile", "/etc/profile.d/zz.sh", "X", ""),
                                    PointerValue.Absent,
                                    new PointerValue("plain", "a$(touch x)")
                                ),
                            ],
                        },
                        "settings file of the whole system"
                    ),
                    (
                        good with
                        {
                            Pointers = [good.Pointers[0] with { Next = new PointerValue("quoted", "\"$(touch x)\"") }],
                        },
                        "says how the setting"
                    ),
                ]
        )
        {
            Run(bad with { Id = Guid.CreateVersion7() }).ShouldBe(RelocationState.Failed, words);
            _recorder.Last.Failure!.Text.ShouldContain(words);
        }
        Directory.Exists($"{_tree.Root}/data/People").ShouldBeFalse();
        File.Exists($"{_tree.Root}/etc/profile.d/zz.sh").ShouldBeFalse();
        Run(good).ShouldBe(RelocationState.Switched, _recorder.Last.Failure?.ToString());
    }

    [Fact]
    public void What_the_system_was_relocated_to_is_known_by_its_receipt_when_the_journal_is_lost()
    {
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, _recorder.Last.Failure?.ToString());
        _tree
            .Survey()
            .Holdings.Single(h => h.Name is { Name: "Documents", Account: "asa.lind" })
            .Foreign.ShouldBeNull();
    }

    [Fact]
    public void A_bar_that_was_left_is_not_taken_for_how_the_account_was_before_and_is_lifted_when_nothing_needs_it()
    {
        var machine = _tree.Machine();
        var before = File.ReadAllText($"{_tree.Root}/etc/shadow");
        machine.Activity.BarSignIn("asa.lind");
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldContain("asa.lind:!:19000:0:99999:7::1:");
        // The journal is lost here. Another docket finds the account as it was before the bar.
        Run(Dockets.Relocate(_tree.Survey(), "Documents", "People/asa.lind/Documents"))
            .ShouldBe(RelocationState.Switched, _recorder.Last.Failure?.ToString());
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldBe(before);

        machine.Activity.BarSignIn("asa.lind");
        _tree.Machine().LiftBars(new HashSet<string> { "asa.lind" }).ShouldBeEmpty("a docket under way needs it");
        _tree
            .Survey()
            .ShouldSatisfyAllConditions(
                s => s.Notes.ShouldContain(n => n.Contains("asa.lind is locked out", StringComparison.Ordinal)),
                s => s.Accounts.Single(a => a.Name == "asa.lind").KeptOut.ShouldBe("")
            );
        LinuxTree.Sh($"mv {_tree.Root}/data/People/asa.lind/Documents {_tree.Root}/data/away");
        _tree.Survey().Accounts.Single(a => a.Name == "asa.lind").KeptOut!.ShouldContain("its Documents should be at");
        _tree
            .Machine()
            .LiftBars(new HashSet<string>())
            .Single()
            .ShouldContain(
                "asa.lind is still locked out: its Documents should be at `/data/People/asa.lind/Documents`"
            );
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldNotBe(before);
        LinuxTree.Sh($"mv {_tree.Root}/data/away {_tree.Root}/data/People/asa.lind/Documents");
        _tree.Machine().LiftBars(new HashSet<string>()).Single().ShouldContain("asa.lind can sign in again");
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldBe(before);
        machine.Activity.BarSignIn("asa.lind");
        _tree.Machine().LetIn("asa.lind").ShouldBeTrue();
        _tree.Machine().LetIn("asa.lind").ShouldBeFalse();
        _tree.Survey().Accounts.ShouldAllBe(a => a.KeptOut == null);
        File.ReadAllText($"{_tree.Root}/etc/shadow").ShouldBe(before);
    }

    private RelocationState Run(Docket docket) =>
        new RelocationEngine(
            _tree.Machine(),
            new MemoryJournal { Was = (_, _) => false },
            new OpenPermits(),
            new PlainSigner(),
            TimeProvider.System
        ).Run(docket, _recorder, CancellationToken.None);
}
