using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A service that was put back from an older copy of its data, with machines that went on meanwhile.</summary>
public sealed class ReconcileTests : RealDesk
{
    private const string Documents = """
        furlough-brief: 1
        title: Documents
        machines: all
        volumes: {roomy: {system: false}}
        relocate: [{folders: [Documents], onto: roomy, path: "People/{account}/{folder}"}]
        """;

    [Fact]
    public void What_a_machine_did_after_the_copy_is_taken_over_and_can_be_returned_and_new_runs_go_on()
    {
        Tree.Setting(
            "XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\nXDG_MUSIC_DIR=\"$HOME/Music\"\n"
        );
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        Tree.FillHard($"{Tree.Home}/Music", 30);
        var before = LinuxTree.Describe($"{Tree.Home}/Pictures");
        Enrol();
        Follow(Documents);
        var copy = CopyOfService();

        // Unknown to the copy: Pictures, and that Documents went back.
        Follow(Documents.Replace("Documents", "Pictures", StringComparison.Ordinal));
        Field
            .Run("relocation", "return", "1", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        PutBack(copy);

        Field.WaitFor(
            () => State("Pictures") == "switched" && State("Documents") == "returned",
            "what the service did not know"
        );
        Field.Run("run", "list").Out.ShouldContain("Taken over from machines");
        var pictures = Relocation("Pictures");
        pictures.GetProperty("number").GetInt64().ShouldBe(2, "the number that people know");
        Field
            .Run("history", "list")
            .Out.ShouldSatisfyAllConditions(
                h => h.ShouldContain("knows more than the service"),
                h => h.ShouldContain("taken over")
            );
        // A return renames the original back where the file system shows that it can; else it copies, and that original
        // is kept as well.
        Field
            .Run("original", "list", "--json")
            .Json.EnumerateArray()
            .Select(o => o.GetProperty("holding").GetString())
            .Distinct()
            .ShouldBe(
                ["Documents", "Pictures"],
                ignoreOrder: true,
                "of Documents where it lived until it was returned, and of Pictures"
            );

        // Nothing waits for ever: a new run's numbers come after what the machine knows.
        Follow(Documents.Replace("Documents", "Music", StringComparison.Ordinal));
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        Field
            .Run("relocation", "return", "2", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Pictures")).ShouldBeEmpty();
        Field.Run("relocation", "show", "2").Code.ShouldBe(0);
    }

    [Fact]
    public void A_run_that_was_started_before_the_machine_is_heard_of_again_reaches_it_although_its_numbers_were_used()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        var agent = Enrol();
        var copy = CopyOfService();
        Follow(Documents);
        Field.Run("relocation", "return", "1", "--follow").Code.ShouldBe(0);
        Field.Kill(agent);
        PutBack(copy);

        // Relocation 1 once more, which the machine knows as another one.
        var run = StartRun(Documents.Replace("Documents", "Pictures", StringComparison.Ordinal));
        Field.StartAgent(Tree.Root, "map-01");
        Field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("1 switched"));
        Field.WaitFor(() => State("Documents") == "returned", "what the service did not know");
        Relocation("Pictures").GetProperty("number").GetInt64().ShouldBe(1);
        Relocation("Documents").GetProperty("number").GetInt64().ShouldBe(2);
    }

    [Fact]
    public void A_machine_that_was_enrolled_after_the_copy_is_enrolled_again_with_all_that_it_did()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        var copy = CopyOfService();
        var agent = Enrol();
        Follow(Documents);
        Field.Kill(agent);
        PutBack(copy);
        Field.Run("machine", "list", "--json").Json.GetArrayLength().ShouldBe(0);

        Field.StartAgent(Tree.Root, "map-01", Field.Invite());
        Field.WaitFor(() => State("Documents") == "switched", "what the machine did");
        Field.WaitForSurveys();
        Field
            .Run("relocation", "return", "1", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
    }

    private void Follow(string brief) =>
        Field
            .Run("run", "follow", StartRun(brief))
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("1 switched"));

    private string? State(string holding) =>
        Field
            .Ask("relocations")
            .EnumerateArray()
            .Where(r => r.GetProperty("holding").GetString() == holding)
            .Select(r => r.GetProperty("state").GetString())
            .SingleOrDefault();

    private string CopyOfService()
    {
        Field.StopService().ShouldBe(0);
        var copy = $"{Field.Folder}/copy";
        LinuxTree.Sh($"cp -a {Field.Folder}/service {copy}");
        Field.StartService();
        return copy;
    }

    private void PutBack(string copy)
    {
        Field.StopService().ShouldBe(0);
        LinuxTree.Sh($"rm -r {Field.Folder}/service; cp -a {copy} {Field.Folder}/service");
        Field.StartService();
    }
}
