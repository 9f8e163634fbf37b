using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A folder whose setting changes while its data stays: how a new year's folder begins.</summary>
public sealed class NewFolderTests() : RealDesk(megabytes: 64)
{
    [Fact]
    public void The_account_gets_an_empty_folder_and_its_files_stay_until_the_setting_is_led_back()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        Tree.FillHard($"{Tree.Home}/Pictures", 5);
        Enrol();
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        var brief = Field.WriteBrief(
            """
            furlough-brief: 1
            title: A folder for the new year
            machines: {names: [map-01]}
            volumes: {roomy: {system: false}}
            relocate:
              - folders: [Documents]
                onto: roomy
                path: People/{account}/{folder}-{year}
                method: repoint-only
            """
        );
        var number = Field.Run("plan", "make", brief, "--json").Json.GetProperty("number").ToString();
        Field.Run("plan", "show", number).Out.ShouldContain("of Documents of asa.lind on map-01 stay at");
        var run = Field.Run("run", "start", "--plan", number, "--json").Json.GetProperty("number").ToString();
        Field.Run("run", "follow", run).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));

        var fresh = XdgUserDir("DOCUMENTS");
        fresh.ShouldMatch("^/data/People/asa.lind/Documents-20[0-9]{2}$");
        LinuxTree
            .Sh($"cd {Tree.Root}{fresh}; setpriv --reuid=1701 --regid=1701 --clear-groups touch first; ls -A")
            .ShouldBe("first\n");
        LinuxTree.Describe($"{Tree.Home}/Documents").ShouldBe(before);
        Field.Run("relocation", "show", "1").Out.ShouldContain("only settings change; the data stays where it is");
        Field.Run("run", "show", run).Out.ShouldContain("0 B of 0 B at the target");
        Field.Run("original", "list", "--json").Json.GetArrayLength().ShouldBe(0);
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").ToString().ShouldBe("[]");

        Field.Run("relocation", "return", "1", "--follow").Code.ShouldBe(0);
        XdgUserDir("DOCUMENTS").ShouldBe($"{Tree.Home}/Documents");
        LinuxTree.Describe($"{Tree.Home}/Documents").ShouldBe(before);
        File.Exists($"{Tree.Root}{fresh}/first").ShouldBeTrue();
    }
}
