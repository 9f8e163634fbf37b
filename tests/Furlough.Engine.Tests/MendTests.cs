using Furlough.Contracts;
using Furlough.Engine.Methods;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Entries, shortcuts and notes by which people find a library that lives elsewhere.</summary>
public sealed class MendTests
{
    private const string Hidden = "sketcher.start of asa.lind",
        Note = "Pictures of asa.lind.txt",
        Shortcut = "Pictures of asa.lind.start";
    private static readonly OwnProgram Sketcher = new([], [])
    {
        Launcher = "sketcher.start",
        Opens = ["/usr/bin/sketcher", "--library={library}"],
    };

    public static TheoryData<Method, DocketWork> Work() =>
        new()
        {
            { Method.Cold, DocketWork.Relocate },
            { Method.Warm, DocketWork.Relocate },
            { Method.Exchange, DocketWork.Relocate },
            { Method.Adopt, DocketWork.Relocate },
            { Method.Cold, DocketWork.Return },
            { Method.Warm, DocketWork.Return },
            { Method.Exchange, DocketWork.Return },
            { Method.Cold, DocketWork.FallBack },
        };

    [Theory]
    [MemberData(nameof(Work))]
    public void After_a_crash_at_any_operation_everything_is_mended_all_the_same_I5(Method method, DocketWork work)
    {
        Bench
            .CrashAfterEvery(
                () => Begun(method, work),
                (bench, crashed) => Mended(bench).ShouldBe(work == DocketWork.Relocate, crashed)
            )
            .ShouldBeGreaterThan(40);
    }

    [Theory]
    [MemberData(nameof(Work))]
    public void A_fault_in_mending_is_told_and_the_holding_is_where_it_shall_be(Method method, DocketWork work)
    {
        for (var (at, told) = (1, 0); ; at++)
        {
            var bench = Begun(method, work);
            bench.Journal.Before = what =>
            {
                if (!what.StartsWith("begin Mend", StringComparison.OrdinalIgnoreCase))
                    return;
                (bench.Disk.FailWith, bench.Disk.FailForGood, bench.Disk.FailAt) = (
                    IoReason.Denied,
                    false,
                    bench.Disk.Operations + at
                );
            };
            var end = bench.Run();
            bench.Disk.FailAt = 0;
            if (!bench.Disk.Injected)
            {
                told.ShouldBeGreaterThan(2);
                return;
            }
            if (end == bench.Good)
                told += bench.Recorder.Last.Notes.Any(n => n.Contains("as it was", StringComparison.Ordinal)) ? 1 : 0;
            else
                bench.Recorder.Last.Failure.ShouldNotBeNull($"after a fault at operation {at}");
            bench.LivePlaceFault().ShouldBeNull($"after a fault at operation {at} ({end})");
        }
    }

    [Fact]
    public void What_somebody_else_put_there_stands_and_so_does_what_somebody_changed_since_I7()
    {
        var bench = Begun(Method.Adopt, DocketWork.Relocate);
        Write(bench, Shortcut, "someone's own");
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.Recorder.Last.Notes.ShouldContain(
            $"`{Shortcut}` was not left beside Pictures of asa.lind: something else has that name."
        );
        Write(bench, Note, "changed");
        bench.Begin(DocketWork.Return);
        bench.Run().ShouldBe(RelocationState.Returned);
        (Read(bench, Shortcut), Read(bench, Note)).ShouldBe(("someone's own", "changed"));
        bench.Machine.Hidden.ShouldBeEmpty();
    }

    [Fact]
    public void On_a_system_whose_entries_are_not_known_a_note_alone_is_left_and_that_is_told()
    {
        var bench = Begun(Method.Cold, DocketWork.Relocate);
        bench.Machine.KnowsLaunchers = false;
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.Recorder.Last.Notes.ShouldContain(
            "The entry sketcher.start stays as it is: entries of programs are not known on this system."
        );
        Read(bench, Note)!.ShouldContain($"opened by /usr/bin/sketcher --library={bench.Machine.Show(bench.Target)}");
        Read(bench, Shortcut).ShouldBeNull();
    }

    [Fact]
    public void A_program_without_entries_or_shortcuts_takes_no_such_step()
    {
        var bench = new Bench();
        Procedures.Of(bench.Docket, StepRecordSet.Empty).Steps[^1].Name.ShouldBe(Step.Confirm);
        Procedures.Of(bench.Docket with { Program = Sketcher }, StepRecordSet.Empty).Steps[^1].Name.ShouldBe(Step.Mend);
        Procedures
            .Of(bench.Docket with { Program = Sketcher, Work = DocketWork.Discard }, StepRecordSet.Empty)
            .Steps[^1]
            .Name.ShouldBe(Step.Discard);
    }

    private static Bench Begun(Method method, DocketWork work)
    {
        var bench = new Bench(method: method);
        bench.Docket = bench.Docket with { Program = Sketcher };
        if (work == DocketWork.Relocate)
            return bench;
        bench.Run().ShouldBe(bench.Good);
        Mended(bench).ShouldBeTrue();
        bench.Begin(work);
        return bench;
    }

    /// <summary>Everything is; or nothing is left of it. A lost target keeps what is on it.</summary>
    private static bool Mended(Bench bench)
    {
        var hidden = bench.Machine.Hidden.SequenceEqual([Hidden]);
        if (bench.Docket.Work == DocketWork.FallBack)
            return hidden;
        var shown = bench.Machine.Show(bench.Target);
        var left = (
            Read(bench, Note)?.Contains(shown, StringComparison.Ordinal) == true,
            Read(bench, Shortcut) == $"Pictures of asa.lind: /usr/bin/sketcher --library={shown}"
        );
        left.ShouldBe((hidden, hidden));
        return hidden;
    }

    private static string? Read(Bench bench, string name)
    {
        using var folder = BesideTarget(bench);
        if (folder?.Find(name) is null)
            return null;
        using var file = folder.OpenFile(name);
        using var reader = new StreamReader(file.Read());
        return reader.ReadToEnd();
    }

    private static void Write(Bench bench, string name, string content)
    {
        using var folder = BesideTarget(bench)!;
        if (folder.Find(name) is not null)
            folder.RemoveFile(name);
        using var file = folder.MakeFile(name);
        file.Append(System.Text.Encoding.UTF8.GetBytes(content));
        file.Flush();
        folder.Flush();
    }

    private static IFolder? BesideTarget(Bench bench)
    {
        using var root = new SimulatedFolder(bench.Disk, bench.Disk.Root(bench.Target.Volume), "");
        return Reach.TryFolder(root, bench.Target.Parts.SkipLast(1));
    }
}
