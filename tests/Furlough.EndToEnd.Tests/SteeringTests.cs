using System.Diagnostics;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>What a technician does to relocations that are under way, or whose target is lost.</summary>
public sealed class SteeringTests : RealDesk
{
    private static readonly string Slowly =
        Brief.Replace("Documents", "Music", StringComparison.Ordinal) + "\nwork: {speed: 0.4 MB/s, priority: low}\n";

    [Fact]
    public void A_paused_run_rests_goes_on_and_is_backed_out_by_hand()
    {
        Tree.FillHard($"{Tree.Home}/Pictures", 20);
        LinuxTree.Sh(
            $"head -c 12M /dev/urandom > {Tree.Home}/Pictures/scan; chown 1701:1701 {Tree.Home}/Pictures/scan"
        );
        var before = LinuxTree.Describe($"{Tree.Home}/Pictures");
        Enrol();
        var run = StartRun(Slowly);
        Field.WaitFor(() => Relocation("Pictures").GetProperty("step").GetString() == "copy", "the copy");
        Field.Run("run", "pause", run).Out.ShouldContain($"Run {run} is paused");
        Field.WaitFor(() => State() == "waiting", "the pause");
        Field.Run("run", "show", run).Out.ShouldContain("waiting, run-paused: 1 relocation on map-01");
        Field.Run("machine", "list").Out.ShouldContain("waiting", customMessage: "the machine's standing");
        Field
            .Run("run", "pause", run)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("is paused and cannot be paused")
            );

        Field.Run("run", "resume", run).Out.ShouldContain("is running");
        Field.WaitFor(() => State() == "under-way", "going on");
        var number = Relocation("Pictures").GetProperty("number").ToString();
        Field
            .Run("relocation", "back-out", number, "--follow")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("backed out manually"),
                o => o.Out.ShouldContain("Nothing has changed")
            );
        State().ShouldBe("backed-out");
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Pictures")).ShouldBeEmpty();
        Directory.Exists($"{Tree.Root}/data/People").ShouldBeFalse();
        Field
            .Run("relocation", "back-out", number)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("is backed-out and cannot be backed out")
            );
    }

    [Fact]
    public void What_waits_in_a_run_that_is_halted_is_undone()
    {
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Pictures; head -c 12M /dev/urandom > {Tree.Home}/Pictures/scan; chown -R 1701:1701 {Tree.Home}/Pictures"
        );
        Enrol();
        var run = StartRun(Slowly);
        Field.WaitFor(() => Relocation("Pictures").GetProperty("step").GetString() == "copy", "the copy");
        Field.Run("run", "pause", run);
        Field.WaitFor(() => State() == "waiting", "the pause");
        Field.Run("run", "halt", run).Out.ShouldContain("is halted");
        Field.WaitFor(() => State() == "backed-out", "backing out");
        Field.Run("run", "show", run).Out.ShouldContain("ended");
        Directory.Exists($"{Tree.Root}/data/People").ShouldBeFalse();
    }

    [Fact]
    public void Files_in_use_are_named_and_waited_for()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 5);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        using var program = Process.Start(
            new ProcessStartInfo("tail", ["-f", $"{Tree.Home}/Documents/one"]) { RedirectStandardOutput = true }
        )!;
        Enrol();
        StartRun(Brief + "\nwork: {files-in-use: {wait: 2 minutes}}\n");
        Field.WaitFor(() => Relocation("Documents").GetProperty("state").GetString() == "waiting", "the wait");
        Relocation("Documents").GetProperty("failure").GetProperty("text").GetString()!.ShouldContain("tail (");
        Field.Kill(program);
        Field.WaitFor(() => Relocation("Documents").GetProperty("state").GetString() == "switched", "the switch");
    }

    [Fact]
    public void After_its_target_is_lost_an_original_becomes_live_again()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 50);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        Enrol();
        Field.Run("run", "follow", StartRun()).Code.ShouldBe(0);
        var number = Relocation("Documents").GetProperty("number").ToString();
        Tree.Detach($"{Tree.Root}/data");

        var asked = Field.Run("relocation", "fall-back", number);
        asked.ShouldSatisfyAllConditions(
            o => o.Code.ShouldBe(5, o.ToString()),
            o => o.Error.ShouldContain("all work since then is missing")
        );
        Field.Run("relocation", "fall-back", number, "--missing-from", "2020-01-01T00:00Z").Code.ShouldBe(5);
        var time = asked.Error.Split("--missing-from ")[1].Split('`')[0];
        Field
            .Run("relocation", "fall-back", number, "--missing-from", time, "--follow")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("returned, the data lives at its source")
            );

        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe($"{Tree.Home}/Documents");
        Field
            .Run("original", "list", "--json")
            .Json.EnumerateArray()
            .Select(o => o.GetProperty("holding").GetString())
            .ShouldBe(["Pictures"]);
        Field
            .Run("relocation", "fall-back", number, "--missing-from", time)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("cannot be fallen back"));
    }

    [Fact]
    public void With_the_service_away_somebody_at_the_machine_falls_back_and_the_service_hears_of_it_later()
    {
        Field.UseServiceProgram();
        Tree.FillHard($"{Tree.Home}/Documents", 50);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        var agent = Enrol();
        Field.Run("run", "follow", StartRun()).Code.ShouldBe(0);
        var number = Relocation("Documents").GetProperty("number").ToString();
        Outcome AtDesk(params string[] more) =>
            Field.RunAgent(["fall-back", number, "--root", Tree.Root, "--data", $"{Field.Folder}/map-01", .. more]);
        Field.KillService();
        AtDesk()
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1),
                o => o.Error.ShouldContain("Another agent works with this data folder"),
                o => o.Error.ShouldContain("Stop it first.")
            );
        Field.Kill(agent);
        var asked = AtDesk();
        asked.ShouldSatisfyAllConditions(
            o => o.Code.ShouldBe(1, o.ToString()),
            o => o.Out.ShouldContain("all work since then is missing")
        );
        var time = asked.Out.Split("--missing-from ")[1].Split('`')[0];
        AtDesk("--missing-from", time)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1, o.ToString()),
                o => o.Out.ShouldContain("is there, so nothing is lost"),
                o => o.Out.ShouldContain($"`furlough relocation return {number}`")
            );
        Tree.Detach($"{Tree.Root}/data");
        AtDesk("--missing-from", "2020-01-01T00:00Z").Out.ShouldContain("all work since then is missing");

        // Killed while it sets the folder back, and called again.
        var strace =
            "strace -f -o /dev/null -e trace=renameat2 -e inject=renameat2:signal=SIGKILL:when=1 "
            + $"{Field.Repository}/bin/furlough-agent fall-back {number} --root {Tree.Root} --data "
            + $"{Field.Folder}/map-01 --missing-from {time} || true";
        LinuxTree.Sh(strace);
        AtDesk()
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("is back at"),
                o => o.Out.ShouldContain("the service hears of it")
            );
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe($"{Tree.Home}/Documents");
        AtDesk("--missing-from", time)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(1), o => o.Out.ShouldContain("is not switched"));
        Field
            .RunAgent("fall-back", "77", "--root", Tree.Root, "--data", $"{Field.Folder}/map-01")
            .Out.ShouldContain("knows no relocation 77");
        Field
            .RunAgent("fall-back", number, "--data", $"{Field.Folder}/nowhere")
            .Error.ShouldContain("No agent has worked in");

        Field.StartServiceProgram();
        Field.StartAgent(Tree.Root, "map-01");
        Field.WaitFor(
            () => Relocation("Documents").GetProperty("state").GetString() == "returned",
            "what was done at the machine"
        );
        Relocation("Documents")
            .ShouldSatisfyAllConditions(
                r => r.GetProperty("live").GetString().ShouldBe("source"),
                r => r.GetProperty("notes").ToString().ShouldContain("Fallen back at the machine itself")
            );
        Field
            .Run("original", "list", "--json")
            .Json.EnumerateArray()
            .Select(o => o.GetProperty("holding").GetString())
            .ShouldBe(["Pictures"]);
    }

    private string State() => Relocation("Pictures").GetProperty("state").GetString()!;
}
