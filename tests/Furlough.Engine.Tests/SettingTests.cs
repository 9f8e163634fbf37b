using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Install paths: no data moves, two settings that must agree are changed.</summary>
public sealed class SettingTests
{
    private const string Former = "/system/programs",
        Wanted = "/data/Programs/asa.lind";

    private readonly SimulatedDisk _disk = new();
    private readonly SimulatedMachine _machine;
    private readonly MemoryJournal _journal = new();
    private readonly OpenPermits _permits = new();
    private readonly Recorder _recorder = new();
    private Docket _docket;

    public SettingTests()
    {
        _machine = new SimulatedMachine(_disk);
        _journal.Before = what => _disk.Operate("journal " + what, "");
        _docket = new Docket
        {
            Id = Guid.CreateVersion7(),
            Relocation = 1,
            Machine = Dockets.Machine,
            Supersession = 1,
            NotBefore = DateTimeOffset.MinValue,
            NotAfter = DateTimeOffset.MaxValue,
            Work = DocketWork.Relocate,
            Method = Method.Setting,
            Holding = new HoldingName("asa.lind", HoldingKind.InstallPath, "programs"),
            AccountId = "1001",
            Source = new Place("system", "programs"),
            Target = new Place("data", "Programs/asa.lind"),
            SourceVolume = SimulatedMachine.System,
            TargetVolume = SimulatedMachine.Data,
            OwnedFrom = 1,
            Pointers =
            [
                new PointerChange(SimulatedMachine.Address("one"), new PointerValue("text", Former), null),
                new PointerChange(SimulatedMachine.Address("two"), PointerValue.Absent, null),
            ],
            Files = 0,
            DataBytes = 0,
            Originals = [],
            Supersedes = [],
            Terms = Terms.Plain,
            Program = new OwnProgram(["packer"], ["packer", "where"]),
        };
        _disk.Root("data");
        _machine.Setting("one", Former);
        _disk.FlushVolume("system");
        _disk.FlushVolume("data");
    }

    private (string?, string?) Settings => (_machine.Setting("one"), _machine.Setting("two"));

    [Fact]
    public void Only_the_settings_change_and_a_folder_of_the_account_waits_at_the_target()
    {
        _machine.Answer = () => Wanted;
        Run().ShouldBe(RelocationState.Finished);
        Settings.ShouldBe((Wanted, Wanted));
        Target()!.ShouldSatisfyAllConditions(n => n.Owner.ShouldBe(1001u), n => n.Mode.ShouldBe(0x1C0u));
        _machine.SignInAllowed.ShouldBeTrue();
        (_recorder.Last.Original, _recorder.Last.Notes.Count).ShouldBe((null, 0));

        _docket = Dockets.Return(_recorder.Last);
        _machine.Answer = () => "/somewhere";
        Run().ShouldBe(RelocationState.Failed, "the program does not go back");
        Settings.ShouldBe((Wanted, Wanted));
        _docket = Dockets.Return(_recorder.Changes.Last(c => c.State == RelocationState.Finished));
        _machine.Answer = () => Former;
        Run().ShouldBe(RelocationState.Returned);
        Settings.ShouldBe((Former, null));
        Target().ShouldNotBeNull("what was installed meanwhile stays");
    }

    [Fact]
    public void Of_a_folder_the_data_stays_and_an_empty_folder_of_the_account_takes_its_place()
    {
        RepointOnly();
        using (var root = new SimulatedFolder(_disk, _disk.Root("system"), ""))
        using (var programs = root.MakeFolder("programs", 0x1C0))
        using (var kept = programs.MakeFile("kept"))
            kept.Append("as it was"u8);
        _machine.Answer = () => Wanted;
        var before = _machine.Describe(_docket.Source);
        Run().ShouldBe(RelocationState.Finished);
        Settings.ShouldBe((Wanted, Wanted));
        Target()!
            .ShouldSatisfyAllConditions(
                n => n.Owner.ShouldBe(1001u),
                n => n.Mode.ShouldBe(0x1C0u),
                n => n.Entries.ShouldBeEmpty()
            );
        _machine.Describe(_docket.Source).ShouldBe(before);
        _recorder.Last.Original.ShouldBeNull("there is only one of everything");

        using (var target = Reach.Folder(new SimulatedFolder(_disk, _disk.Root("data"), ""), _docket.Target.Parts))
            target.MakeFile("new").Dispose();
        _docket = Dockets.Return(_recorder.Last);
        _machine.Answer = () => Former;
        Run().ShouldBe(RelocationState.Returned);
        Settings.ShouldBe((Former, null));
        _machine.Describe(_docket.Target).ShouldBe(before);
        Target()!.Entries.ShouldContainKey("new", "what was added meanwhile stays there");
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void What_is_at_the_new_place_already_is_not_passed_off_as_the_folder_even_if_it_is_empty_I7(bool empty)
    {
        RepointOnly();
        using (var root = new SimulatedFolder(_disk, _disk.Root("data"), ""))
        using (var programs = root.MakeFolder("Programs", 0x1ED))
        using (var theirs = programs.MakeFolder("asa.lind", 0x1FF))
            if (!empty)
                theirs.MakeFile("of someone else").Dispose();
        Run().ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("target-not-empty");
        Settings.ShouldBe((Former, null));
        Target()!.Mode.ShouldBe(0x1FFu, "it is as it was");
    }

    private void RepointOnly() =>
        _docket = _docket with
        {
            Method = Method.RepointOnly,
            Holding = new HoldingName("asa.lind", HoldingKind.Folder, "programs"),
        };

    [Theory]
    [InlineData(Method.Setting)]
    [InlineData(Method.RepointOnly)]
    public void A_crash_after_any_operation_is_finished_afterwards_and_settings_lead_to_places_that_exist_I5(
        Method method
    )
    {
        for (var (at, finished) = (1, false); !finished; at++)
        {
            var trial = new SettingTests();
            trial._docket = trial._docket with { Method = method };
            trial._disk.CrashAt = trial._disk.Operations + at;
            finished = trial.Run() is not null;
            trial._disk.Crash(new Random(at));
            if (trial.Settings != (Former, null))
                trial.Target().ShouldNotBeNull($"crashed after operation {at}");
            trial._disk.CrashAt = 0;
            if (!finished)
                trial.Run().ShouldBe(RelocationState.Finished, $"crashed after operation {at}");
            trial.Settings.ShouldBe((Wanted, Wanted));
            if (finished)
                at.ShouldBeGreaterThan(20);
        }
    }

    [Theory]
    [InlineData(IoReason.Denied, Method.Setting)]
    [InlineData(IoReason.NoSpace, Method.Setting)]
    [InlineData(IoReason.Denied, Method.RepointOnly)]
    [InlineData(IoReason.NoSpace, Method.RepointOnly)]
    public void A_fault_at_any_operation_leaves_both_settings_at_one_place_and_nothing_made_behind_I2(
        IoReason reason,
        Method method
    )
    {
        for (var at = 1; ; at++)
        {
            var trial = new SettingTests();
            trial._docket = trial._docket with { Method = method };
            trial._disk.FailWith = reason;
            trial._disk.FailAt = trial._disk.Operations + at;
            RelocationState? end = null;
            for (var i = 0; i < 3 && end is null; i++)
            {
                try
                {
                    end = trial.Run();
                }
                catch (JournalException)
                {
                    trial._disk.FailAt = 0;
                }
            }
            if (!trial._disk.Injected)
                return;
            trial.Settings.ShouldBe(
                end == RelocationState.Finished ? (Wanted, Wanted) : (Former, null),
                $"after a fault at operation {at}"
            );
            if (end != RelocationState.Finished && trial._recorder.Last.Notes.Count == 0)
                trial._disk.Root("data").Entries.ShouldBeEmpty($"after a fault at operation {at}");
        }
    }

    [Fact]
    public void A_program_that_disagrees_or_does_not_answer_leaves_the_former_settings_and_no_folder()
    {
        _machine.Answer = () => Former;
        Run().ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("system-disagrees"),
            f => f.Text.ShouldContain($"lives at `{Former}`"),
            f => f.Where.ShouldBe($"Nothing has changed; the settings lead to its source, `{Former}`.")
        );
        Settings.ShouldBe((Former, null));
        _disk.Root("data").Entries.ShouldBeEmpty();

        _docket = _docket with { Id = Guid.CreateVersion7() };
        _machine.Answer = () => throw Engine.Faults.CommandFailed(["packer", "where"], "did not end within 10 s");
        Run().ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("command-failed"),
            f => f.Text.ShouldContain("`packer where`")
        );
        Settings.ShouldBe((Former, null));

        _docket = _docket with { Id = Guid.CreateVersion7() };
        _machine.Answer = () => null;
        Run().ShouldBe(RelocationState.Finished);
        _recorder.Last.Notes.Single().ShouldContain("do not run on this machine");
    }

    [Fact]
    public void A_program_that_would_write_over_the_settings_is_waited_for_and_people_go_on_meanwhile()
    {
        _machine.Programs = ["packer"];
        Run().ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.ShouldSatisfyAllConditions(
            f => f.Code.ShouldBe("program-running"),
            f => f.Text.ShouldContain("packer (asa.lind)")
        );
        Settings.ShouldBe((Former, null));

        _docket = _docket with { Id = Guid.CreateVersion7(), Terms = Terms.Plain with { KeepWaiting = true } };
        Run().ShouldBe(RelocationState.Waiting);
        Run().ShouldBe(RelocationState.Waiting);
        (_machine.SignInAllowed, Settings).ShouldBe((true, (Former, null)));
        _machine.Programs = [];
        Run().ShouldBe(RelocationState.Finished);
        Settings.ShouldBe((Wanted, Wanted));
    }

    [Fact]
    public void Without_a_permit_no_setting_changes_and_what_is_installed_at_the_target_stays_I7()
    {
        using (var root = new SimulatedFolder(_disk, _disk.Root("data"), ""))
        using (var programs = root.MakeFolder("Programs", 0x1ED))
        using (var own = programs.MakeFolder("asa.lind", 0x1C0))
            own.MakeFile("tool").Dispose();
        _permits.Answer = PermitAnswer.Refused;
        Run().ShouldBe(RelocationState.BackedOut);
        Settings.ShouldBe((Former, null));

        _docket = _docket with { Id = Guid.CreateVersion7() };
        _permits.Answer = PermitAnswer.Granted;
        Run().ShouldBe(RelocationState.Finished);
        Target()!.Entries.Keys.ShouldBe(["tool"]);

        _docket = _docket with { Id = Guid.CreateVersion7() };
        Run().ShouldBe(RelocationState.Failed);
        _recorder.Last.Failure!.Code.ShouldBe("pointer-changed");
    }

    [Fact]
    public void A_twin_leads_to_a_folder_of_its_own_beside_which_goes_again_with_the_other()
    {
        _docket = _docket with
        {
            Pointers =
            [
                _docket.Pointers[0],
                _docket.Pointers[1] with
                {
                    Address = _docket.Pointers[1].Address with { Behind = " (older)" },
                },
            ],
        };
        _machine.Answer = () => Former;
        Run().ShouldBe(RelocationState.Failed);
        _disk.Root("data").Entries.ShouldBeEmpty();

        _docket = _docket with { Id = Guid.CreateVersion7() };
        _machine.Answer = () => Wanted;
        Run().ShouldBe(RelocationState.Finished);
        Settings.ShouldBe((Wanted, Wanted + " (older)"));
        _disk.Root("data").Entries["Programs"].Entries.Keys.ShouldBe(["asa.lind", "asa.lind (older)"]);
    }

    [Fact]
    public void Twins_of_one_name_in_two_kinds_of_containers_each_get_their_own_value()
    {
        var address = SimulatedMachine.Address("one");
        _docket = _docket with
        {
            Pointers =
            [
                _docket.Pointers[0],
                new PointerChange(address with { Kind = "further", Behind = " (older)" }, PointerValue.Absent, null),
            ],
        };
        Run().ShouldBe(RelocationState.Finished);
        (_machine.Setting("one"), _machine.Setting("further one")).ShouldBe((Wanted, Wanted + " (older)"));
    }

    private SimulatedNode? Target() =>
        _disk.Root("data").Entries.GetValueOrDefault("Programs")?.Entries.GetValueOrDefault("asa.lind");

    private RelocationState? Run()
    {
        try
        {
            return new RelocationEngine(_machine, _journal, _permits, new PlainSigner(), TimeProvider.System).Run(
                _docket,
                _recorder,
                CancellationToken.None
            );
        }
        catch (CrashException)
        {
            return null;
        }
    }
}
