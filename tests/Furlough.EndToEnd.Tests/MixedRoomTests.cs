using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// One brief for machines of several systems: a real Linux desk, the Windows agent, and stand-ins, one of them of a
/// system that keeps homes and preferences behind its own commands and on which folders that live elsewhere leave a
/// link.
/// </summary>
public sealed class MixedRoomTests : RealDesk
{
    private const string Wanted = """
        furlough-brief: 1
        title: Pictures of every desk
        machines: {names: [map-01, wet-99, herb-*]}
        volumes: {roomy: {system: false, prefer: roomiest}}
        relocate:
          - {folders: [Pictures], on: [map-01, wet-99, herb-01], onto: roomy, path: "People/{account}/{folder}"}
          - {folders: [Music], on: [herb-02], accounts: [zeno.pike], onto: roomy, path: "People/{account}/{folder}"}
          - {libraries: [specimen-index], on: [herb-02], onto: roomy, path: "Indexes/{account}"}
          - {homes: whole, on: [herb-02], accounts: [asa.lind], onto: roomy, path: "Homes/{account}"}
        """;

    [Fact]
    public void A_mixed_room_is_relocated_by_one_brief()
    {
        using var windows = new WindowsDesk();
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        File.WriteAllText($"{windows.Home}/Pictures/gel.png", "a gel");
        var before = LinuxTree.Describe($"{Tree.Home}/Pictures");
        Enrol();
        Field.Keep(
            Field.Launch(
                "furlough",
                [
                    "demo",
                    "start",
                    "--data",
                    $"{Field.Folder}/station",
                    "--service",
                    Field.Address,
                    "--token",
                    Field.Token,
                    "--machines",
                    "2",
                    "--speed",
                    "60000",
                    "--run",
                    "-",
                ]
            )
        );
        var agent = windows.StartAgent(Field, "wet-99", Field.Invite());
        Field.WaitForSurveys(4);
        Field.Run("kind", "add", Path.Combine(Field.Repository, "demo/kinds/specimen-index.yaml")).Code.ShouldBe(0);
        Field.WaitFor(
            () => Settings().Count(s => s.Contains("specimen-index", StringComparison.Ordinal)) == 1,
            "the library of the Heron desk"
        );
        var settings = Settings();

        Field
            .Run("plan", "make", Field.WriteBrief(Wanted))
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("plan", "consent", "1", "--hazard", "unproven-system", "--reason", "A test").Code.ShouldBe(0);
        Field.Run("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Pictures")).ShouldBeEmpty();
        File.ReadAllText($"{windows.Second}/People/{Environment.UserName}/Pictures/gel.png").ShouldBe("a gel");
        var targets = Field
            .Run("relocation", "list", "--json")
            .Json.EnumerateArray()
            .Select(r => (Machine: r.GetProperty("machine").GetString(), Live: r.GetProperty("live").GetString()))
            .Distinct()
            .ToList();
        targets.Select(t => t.Machine).Order().ShouldBe(["herb-01", "herb-02", "map-01", "wet-99"]);
        targets.ShouldAllBe(t => t.Live == "target");
        var ofHeron = Field
            .Run("relocation", "list", "--json")
            .Json.EnumerateArray()
            .Where(r => r.GetProperty("machine").GetString() == "herb-02")
            .Select(r => r.GetProperty("number").ToString())
            .ToList();
        var shown = string.Join('\n', ofHeron.Select(r => Field.Run("relocation", "show", r).Out));
        foreach (
            var words in (string[])
                [
                    "~/Music (a link)",
                    "after  /Volumes/Data/People/zeno.pike/Music",
                    "IndexPath in station.specimen-viewer",
                    "before ~/specimen-index",
                    "after  /Volumes/Data/Indexes/zeno.pike",
                    "home in the directory service",
                    "after  /Volumes/Data/Homes/asa.lind",
                ]
        )
            shown.ShouldContain(words);
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        Settings().ShouldNotBe(settings);
        foreach (var relocation in ofHeron)
            Field
                .Run("relocation", "return", relocation, "--follow")
                .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        Settings().ShouldBe(settings);
        agent.HasExited.ShouldBeFalse();
    }

    /// <summary>Every setting of the Heron desk with its value.</summary>
    private List<string> Settings() =>
        [
            .. Field
                .Run("machine", "show", "herb-02", "--json")
                .Json.GetProperty("holdings")
                .EnumerateArray()
                .SelectMany(h =>
                    h.GetProperty("pointers")
                        .EnumerateArray()
                        .Select(p =>
                            $"{h.GetProperty("account")} {h.GetProperty("holding")} {p.GetProperty("address")} {p.GetProperty("value")}"
                        )
                )
                .Order(StringComparer.Ordinal),
        ];
}
