using Furlough.Engine.Holds;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

public sealed class HoldTests
{
    [Theory]
    [InlineData(Method.Cold)]
    [InlineData(Method.Warm)]
    [InlineData(Method.Exchange)]
    [InlineData(Method.Adopt)]
    public void All_holds_are_taken_from_quiesce_to_reopen_and_none_before_or_after(Method method)
    {
        var bench = new Bench(method: method);
        Dictionary<Step, string> held = [];
        bench.Recorder.OnChange = change =>
        {
            if (change is { State: RelocationState.UnderWay, Step: { } step })
                held[step] = Taken(bench);
        };
        bench.Run().ShouldBe(bench.Good);
        held[Step.Prepare].ShouldBe("");
        held[Step.Quiesce].ShouldBe("");
        held[Step.Repoint].ShouldBe("programs= sign-in=allowed");
        held[Step.Reopen].ShouldBe("programs= sign-in=allowed");
        held[Step.Confirm].ShouldBe("");
        Taken(bench).ShouldBe("");
    }

    [Fact]
    public void How_it_was_before_is_durable_before_a_hold_is_taken_and_put_back()
    {
        // An account that was barred before stays barred.
        var bench = new Bench();
        bench.Machine.BarSignIn("asa.lind");
        bench.Run().ShouldBe(RelocationState.Switched);
        bench.Machine.SignInAllowed.ShouldBeFalse();

        // Wherever the agent dies: who is locked out is known to the journal.
        var lockedOut = 0;
        for (var at = 1; ; at++)
        {
            bench = new Bench();
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            if (bench.Run() is not null)
                break;
            bench.Disk.Crash(new Random(at));
            if (bench.Machine.SignInAllowed)
                continue;
            lockedOut++;
            Taken(bench).ShouldContain("sign-in=allowed", customMessage: $"after operation {at}");
        }
        lockedOut.ShouldBeGreaterThan(10);
    }

    [Fact]
    public void What_belongs_to_no_account_is_held_by_its_closed_programs_and_nobody_is_locked_out()
    {
        var bench = new Bench();
        bench.Docket = bench.Docket with
        {
            Holding = new HoldingName("", HoldingKind.Library, "images"),
            Program = new OwnProgram(["lantern"], []),
            Terms = Terms.Plain with { KeepWaiting = true },
        };
        bench.Machine.Programs = ["lantern"];
        bench.Run().ShouldBe(RelocationState.Waiting);
        bench.Recorder.Last.Failure!.Code.ShouldBe("program-running");
        Taken(bench).ShouldBe("");

        bench.Machine.Programs = [];
        List<string> held = [];
        bench.Recorder.OnChange = change =>
        {
            bench.Machine.SignInAllowed.ShouldBeTrue();
            if (change is { State: RelocationState.UnderWay, Step: Step.SetAside })
                held.Add(Taken(bench));
        };
        bench.Run().ShouldBe(RelocationState.Switched, bench.Recorder.Last.Failure?.ToString());
        held.ShouldBe(["programs="]);
        Taken(bench).ShouldBe("");
    }

    private static string Taken(Bench bench) =>
        string.Join(
            ' ',
            bench
                .Journal.Read(bench.Docket.Id)
                .Records.All.OfType<HoldTaken>()
                .Select(h => $"{h.Hold}={h.Former}")
                .Order(StringComparer.Ordinal)
        );
}
