using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A program that knows only the old path goes by the link that stays there.</summary>
public sealed class LinkTests : RealDesk
{
    [Fact]
    public void A_link_stays_for_programs_that_know_only_the_old_path_and_goes_when_the_folder_returns_I7()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 40);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        LinuxTree.Sh($"chown 1701:1701 {Tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        Enrol();
        Field.Run("run", "follow", StartRun(Brief.Replace("onto: roomy", "onto: roomy\n    leave: link\n    keep-original: 3 weeks", StringComparison.Ordinal))).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));
        var original = Field.Run("original", "list", "--json").Json[0];
        (original.GetProperty("keptUntil").GetDateTimeOffset() - original.GetProperty("setAside").GetDateTimeOffset()).ShouldBe(TimeSpan.FromDays(21));
        foreach (var folder in (string[])["Documents", "Pictures"])
            LinuxTree.Sh($"readlink {Tree.Home}/{folder}; stat -c %u:%g {Tree.Home}/{folder}").ShouldBe($"/data/People/asa.lind/{folder}\n1701:1701\n");
        var number = Relocation("Documents").GetProperty("number").ToString();
        Field.Run("relocation", "show", number).Out.ShouldContain("A link stands at `/home/asa.lind/Documents` and leads to `/data/People/asa.lind/Documents`.");
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        Field.Run("relocation", "gather", number, "--follow").Out.ShouldContain("no folder at the former place");

        Field.Run("relocation", "return", number, "--follow").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        Field.Run("original", "discard", Original("Pictures"), "--before-its-time", "--reason", "nobody needs it", "--follow").Out.ShouldContain("finished");
        LinuxTree.Sh($"readlink {Tree.Home}/Pictures").ShouldBe("/data/People/asa.lind/Pictures\n");
    }
}
