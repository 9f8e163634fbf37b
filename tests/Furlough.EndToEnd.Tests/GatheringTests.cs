using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A program that knows only the old path goes on writing there after the switch.</summary>
public sealed class GatheringTests : RealDesk
{
    private const string Found = "Found at the former place ";

    [Fact]
    public void What_a_program_writes_at_the_former_place_is_found_gathered_and_left_standing_I7()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 40);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        StartAgentAndRun().Code.ShouldBe(0);
        var live = $"{Tree.Root}/data/People/asa.lind/Documents";
        LinuxTree.Sh(
            "setpriv --reuid=1701 --regid=1701 --clear-groups sh -c 'umask 077; mkdir -p "
                + $"{Tree.Home}/Documents/scans; echo late > {Tree.Home}/Documents/scans/plate; ln "
                + $"{Tree.Home}/Documents/scans/plate {Tree.Home}/Documents/plate'"
        );
        var again = LinuxTree.Describe($"{Tree.Home}/Documents");
        var number = Relocation("Documents").GetProperty("number").ToString();

        var finding = Finding(f => true);
        finding.GetProperty("code").GetString().ShouldBe("written-at-former-place");
        finding.GetProperty("severity").GetString().ShouldBe("consent");
        finding.GetProperty("text").GetString()!.ShouldContain("a folder with 2 files (5 B)");
        finding.GetProperty("remedy").GetString()!.ShouldContain($"furlough relocation gather {number}");

        Field
            .Run("relocation", "gather", number, "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("switched"));
        var gathered = Directory.GetDirectories(live, Found + "*").Single();
        LinuxTree.Difference(again, LinuxTree.Describe(gathered)).ShouldBeEmpty();
        LinuxTree.Difference(again, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        Field
            .Run("relocation", "show", number)
            .Out.ShouldContain($"was copied to `/data/People/asa.lind/Documents/{Found}");

        finding = Finding(f => f.GetProperty("severity").GetString() == "advice");
        finding.GetProperty("text").GetString()!.ShouldContain("not changed since");
        LinuxTree.Sh($"echo more >> {Tree.Home}/Documents/plate");
        Finding(f => f.GetProperty("severity").GetString() == "consent");

        Directory.Delete($"{Tree.Home}/Documents", true);
        Field.WaitFor(() => Findings().Count == 0, "an audit without findings");
        Field
            .Run("relocation", "gather", number, "--follow")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldNotBe(0),
                o => o.Out.ShouldContain("no folder at the former place")
            );
        Relocation("Documents").GetProperty("state").GetString().ShouldBe("switched");

        // The relocation goes on as before: a return takes along what was gathered.
        Field
            .Run("relocation", "return", number, "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
        LinuxTree
            .Difference(
                again,
                LinuxTree.Describe(Directory.GetDirectories($"{Tree.Home}/Documents", Found + "*").Single())
            )
            .ShouldBeEmpty();
        EveryBulletinOnce();
    }

    /// <summary>
    /// The one finding, once it is as expected: a survey that was under way before may still answer the first audit.
    /// </summary>
    private JsonElement Finding(Func<JsonElement, bool> expected)
    {
        List<JsonElement> findings = [];
        Field.WaitFor(() => (findings = Findings()).Count == 1 && expected(findings[0]), "the finding");
        return findings[0];
    }

    private List<JsonElement> Findings() =>
        [.. Field.Run("audit", "make", "--json").Json.GetProperty("findings").EnumerateArray()];
}
