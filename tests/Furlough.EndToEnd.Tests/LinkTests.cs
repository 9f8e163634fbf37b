using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A program that knows only the old path goes by the link that stays there.</summary>
public sealed class LinkTests : RealDesk
{
    [Fact]
    public void Two_folders_one_inside_the_other_are_relocated_together_and_come_back_together()
    {
        const string nested =
            "# mine\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Documents/Plates\"\n";
        Tree.Setting(nested);
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Documents/Plates; echo p > {Tree.Home}/Documents/Plates/one; echo d > {Tree.Home}/Documents/two"
        );
        Enrol();
        var plan = Field.Run("plan", "make", Field.WriteBrief(Brief), "--json");
        var number = plan.Json.GetProperty("number").ToString();
        Field.Run("plan", "show", number).Out.ShouldContain("Pictures of asa.lind (`");
        Field
            .Run("plan", "consent", number, "--hazard", "moves-along", "--reason", "they belong together")
            .Code.ShouldBe(0);
        var run =
            Field.Run("run", "start", "--plan", number, "--json") is var started && started.Code == 0
                ? started.Json.GetProperty("number").ToString()
                : throw new InvalidOperationException(started.ToString());
        Field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("1 switched"));
        XdgUserDir("DOCUMENTS").ShouldBe("/data/People/asa.lind/Documents");
        XdgUserDir("PICTURES").ShouldBe("/data/People/asa.lind/Documents/Plates");
        File.ReadAllText($"{Tree.Root}/data/People/asa.lind/Documents/Plates/one").ShouldBe("p\n");
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        Field.Run("relocation", "return", "1", "--follow").Code.ShouldBe(0);
        File.ReadAllText($"{Tree.Home}/.config/user-dirs.dirs").ShouldBe(nested);
        File.ReadAllText($"{Tree.Home}/Documents/Plates/one").ShouldBe("p\n");
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
    }

    [Fact]
    public void A_link_stays_for_programs_that_know_only_the_old_path_and_goes_when_the_folder_returns_I7()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 40);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        LinuxTree.Sh($"chown 1701:1701 {Tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        Enrol();
        Field
            .Run(
                "run",
                "follow",
                StartRun(
                    Brief.Replace(
                        "onto: roomy",
                        "onto: roomy\n    leave: link\n    keep-original: 3 weeks",
                        StringComparison.Ordinal
                    )
                )
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));
        var original = Field.Run("original", "list", "--json").Json[0];
        (
            original.GetProperty("keptUntil").GetDateTimeOffset() - original.GetProperty("setAside").GetDateTimeOffset()
        ).ShouldBe(TimeSpan.FromDays(21));
        foreach (var folder in (string[])["Documents", "Pictures"])
            LinuxTree
                .Sh($"readlink {Tree.Home}/{folder}; stat -c %u:%g {Tree.Home}/{folder}")
                .ShouldBe($"/data/People/asa.lind/{folder}\n1701:1701\n");
        var number = Relocation("Documents").GetProperty("number").ToString();
        Field
            .Run("relocation", "show", number)
            .Out.ShouldContain(
                "A link stands at `/home/asa.lind/Documents` and leads to `/data/People/asa.lind/Documents`."
            );
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        Field.Run("relocation", "gather", number, "--follow").Out.ShouldContain("no folder at the former place");

        Field
            .Run("relocation", "return", number, "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        Field
            .Run(
                "original",
                "discard",
                Original("Pictures"),
                "--before-its-time",
                "--reason",
                "nobody needs it",
                "--follow"
            )
            .Out.ShouldContain("finished");
        LinuxTree.Sh($"readlink {Tree.Home}/Pictures").ShouldBe("/data/People/asa.lind/Pictures\n");
    }
}
