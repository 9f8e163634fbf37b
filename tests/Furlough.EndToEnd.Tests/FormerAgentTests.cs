using System.Diagnostics;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>An agent of this version finds what an earlier one left in the middle of a run.</summary>
public sealed class FormerAgentTests() : RealDesk(megabytes: 64)
{
    private string Journal => $"{Field.Folder}/map-01/agent.db";

    [Fact]
    public void The_former_file_is_untouched_until_the_service_has_answered_and_then_the_run_ends_right()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        LinuxTree.Sh($"mkdir -p {Tree.Home}/Pictures; echo 1 > {Tree.Home}/Pictures/plot");
        using var program = Process.Start(
            new ProcessStartInfo("tail", ["-f", $"{Tree.Home}/Pictures/plot"]) { RedirectStandardOutput = true }
        )!;
        var former = Enrol();
        var (documents, pictures) = (
            LinuxTree.Describe($"{Tree.Home}/Documents"),
            LinuxTree.Describe($"{Tree.Home}/Pictures")
        );
        StartRun(Brief + "\nwork: {files-in-use: {wait: 1 seconds, then: keep-waiting}}\n");
        WaitForState("Documents", "switched");
        WaitForState("Pictures", "waiting");
        Field.Kill(former);
        FormerSchema.WriteBack(Journal);
        var before = File.ReadAllBytes(Journal);

        Field.StopService();
        Field
            .RunAgent("status", "--data", $"{Field.Folder}/map-01")
            .Out.ShouldContain("Documents of asa.lind  switched", customMessage: "what it knows is shown");
        var neverHealthy = Field.StartAgent(Tree.Root, "map-01");
        Field.WaitFor(() => File.Exists(Journal + ".next"), "the copy");
        CancellationToken.None.WaitHandle.WaitOne(2_000);
        Field.Kill(neverHealthy);
        File.ReadAllBytes(Journal).ShouldBe(before);
        new FileInfo(Journal + "-wal").ShouldSatisfyAllConditions(l => (l.Exists ? l.Length : 0).ShouldBe(0));

        Field.StartService();
        Field.StartAgent(Tree.Root, "map-01");
        Field.Kill(program);
        WaitForState("Pictures", "switched");
        File.Exists(Journal + ".next").ShouldBeFalse();
        LinuxTree
            .Difference(pictures, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Pictures"))
            .ShouldBeEmpty();
        Field
            .Run("relocation", "return", Relocation("Documents").GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(documents, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        EveryBulletinOnce();
    }

    private void WaitForState(string holding, string state) =>
        Field.WaitFor(() => Relocation(holding).GetProperty("state").GetString() == state, $"{holding} {state}");
}
