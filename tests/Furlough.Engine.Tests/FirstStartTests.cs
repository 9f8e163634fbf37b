using Furlough.Contracts;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Libraries that their program makes when it is started for the first time.</summary>
public sealed class FirstStartTests
{
    private int _starts;

    [Fact]
    public void After_a_crash_at_any_operation_the_library_was_made_once_and_is_relocated_I5()
    {
        for (var at = 1; ; at++)
        {
            _starts = 0;
            var bench = Begun();
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            var end = bench.Run();
            var finished = end is not null;
            bench.Disk.Crash(new Random(at));
            end ??= bench.Run();
            end.ShouldBe(RelocationState.Switched, $"crashed after operation {at}: {bench.Recorder.Last.Failure}");
            bench.EndFault().ShouldBeNull($"crashed after operation {at}");
            _starts.ShouldBe(1, $"crashed after operation {at}");
            bench.Recorder.Last.Pointers.ShouldAllBe(p => p.Before.Text == bench.Machine.Show(Bench.Source));
            if (!finished)
                continue;
            at.ShouldBeGreaterThan(40);
            return;
        }
    }

    [Fact]
    public void A_return_brings_it_where_its_program_made_it_with_the_settings_that_it_wrote()
    {
        var bench = Begun();
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.Recorder.Last.Notes.ShouldContain(
            "Pictures of asa.lind was not there yet: its program was started once, and made it."
        );
        bench.Begin(DocketWork.Return);
        bench.Run().ShouldBe(RelocationState.Returned);
        bench.EndFault().ShouldBeNull();
        _starts.ShouldBe(1);
    }

    [Fact]
    public void A_program_that_is_ended_when_its_time_is_up_has_made_its_library_all_the_same()
    {
        var bench = Begun();
        var makes = bench.Machine.Answer;
        bench.Machine.Answer = () =>
        {
            _ = makes();
            throw Faults.CommandFailed(["/usr/bin/sketcher"], "did not end within 10 s");
        };
        bench.Run().ShouldBe(RelocationState.Switched);
    }

    public static TheoryData<string, string> Failures =>
        new()
        {
            { "no commands", "first-start-not-here" },
            { "fails", "command-failed" },
            { "makes nothing", "first-start-made-nothing" },
            { "makes it elsewhere", "first-start-elsewhere" },
        };

    [Theory]
    [MemberData(nameof(Failures))]
    public void A_program_that_makes_none_is_told_and_nothing_was_changed(string what, string code)
    {
        var bench = Begun();
        var makes = bench.Machine.Answer;
        bench.Machine.Answer = what switch
        {
            "no commands" => () => null,
            "fails" => () => throw Faults.CommandFailed(["/usr/bin/sketcher"], "failed (no display)"),
            "makes nothing" => () => "",
            _ => () =>
            {
                _ = makes();
                bench.Machine.Setting("two", "/system/elsewhere");
                return "";
            },
        };
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe(code);
        bench.Recorder.Last.Failure!.Where.ShouldContain(
            "its program is to make it at `/system/home/asa.lind/Pictures`"
        );
        bench.Machine.Describe(bench.Target).ShouldBe("(missing)");
        bench.Machine.Setting("two").ShouldBe(what == "makes it elsewhere" ? "/system/elsewhere" : null);
        bench.Machine.SignInAllowed.ShouldBeTrue();
    }

    /// <summary>An account without a library, whose program makes what the bench has.</summary>
    private Bench Begun()
    {
        var bench = new Bench();
        Move(home: false);
        Set(null);
        bench.Docket = bench.Docket with
        {
            Program = new OwnProgram([], []) { FirstStart = ["/usr/bin/sketcher", "init"] },
            Pointers = [.. bench.Docket.Pointers.Select(p => p with { Expected = PointerValue.Absent })],
        };
        bench.Machine.Answer = () =>
        {
            _starts++;
            Move(home: true);
            Set(bench.Machine.Show(Bench.Source));
            return "";
        };
        return bench;

        // Where no home is, the library waits to be made.
        void Move(bool home) =>
            bench.Disk.ByOthers(() =>
            {
                using var root = new SimulatedFolder(bench.Disk, bench.Disk.Root("system"), "");
                using var account = Reach.Folder(root, Bench.Source.Parts.SkipLast(1));
                var name = Bench.Source.Parts[^1];
                if (home)
                    root.Move(name, account, name);
                else
                    account.Move(name, root, name);
                bench.Disk.FlushVolume("system");
            });

        void Set(string? value)
        {
            bench.Machine.Setting("one", value);
            bench.Machine.Setting("two", value);
        }
    }
}
