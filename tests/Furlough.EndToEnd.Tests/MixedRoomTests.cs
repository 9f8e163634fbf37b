using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>One brief for machines of several systems: a real Linux desk, the Windows agent, and stand-ins, one of them of a system on which folders that live elsewhere leave a link.</summary>
public sealed class MixedRoomTests : RealDesk
{
    private const string Wanted = """
        furlough-brief: 1
        title: Pictures of every desk
        machines: {names: [map-01, wet-99, herb-*]}
        volumes: {roomy: {system: false, prefer: roomiest}}
        relocate:
          - {folders: [Pictures], onto: roomy, path: "People/{account}/{folder}"}
        """;

    [Fact]
    public void A_mixed_room_is_relocated_by_one_brief()
    {
        using var windows = new WindowsDesk();
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        File.WriteAllText($"{windows.Home}/Pictures/gel.png", "a gel");
        var before = LinuxTree.Describe($"{Tree.Home}/Pictures");
        Enrol();
        Field.Keep(Field.Launch("furlough", ["demo", "start", "--data", $"{Field.Folder}/station", "--service", Field.Address, "--token", Field.Token, "--machines", "2", "--speed", "60000", "--run", "-"]));
        var agent = windows.StartAgent(Field, "wet-99", Field.Invite());
        Field.WaitFor(() => Field.Run("machine", "list", "--json").Out.Split("surveyedAt\": \"20").Length == 5, "four surveys");

        Field.Run("plan", "make", Field.WriteBrief(Wanted)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("plan", "consent", "1", "--hazard", "unproven-system", "--reason", "A test").Code.ShouldBe(0);
        Field.Run("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Pictures")).ShouldBeEmpty();
        File.ReadAllText($"{windows.Second}/People/{Environment.UserName}/Pictures/gel.png").ShouldBe("a gel");
        var targets = Field.Run("relocation", "list", "--json").Json.EnumerateArray().Select(r => (Machine: r.GetProperty("machine").GetString(), Live: r.GetProperty("live").GetString())).Distinct().ToList();
        targets.Select(t => t.Machine).Order().ShouldBe(["herb-01", "herb-02", "map-01", "wet-99"]);
        targets.ShouldAllBe(t => t.Live == "target");
        var linked = Field.Run("relocation", "list", "--json").Json.EnumerateArray().First(r => r.GetProperty("machine").GetString() == "herb-02").GetProperty("number").ToString();
        Field.Run("relocation", "show", linked).Out.ShouldSatisfyAllConditions(o => o.ShouldContain("~/Pictures (a link)"), o => o.ShouldContain("after  /Volumes/Data/People/"));
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        Field.Run("relocation", "return", linked, "--follow").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        agent.HasExited.ShouldBeFalse();
    }
}
