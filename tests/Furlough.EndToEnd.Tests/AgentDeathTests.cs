using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>An agent that dies in the same docket again and again.</summary>
public sealed class AgentDeathTests() : RealDesk(megabytes: 64)
{
    [Fact]
    public void The_docket_is_put_aside_with_a_report_the_others_go_on_and_it_can_be_backed_out()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        LinuxTree.Sh($"mkdir -p {Tree.Home}/Pictures; touch {Tree.Home}/Pictures/plot");
        Field.Kill(Enrol());
        StartRun();
        for (var deaths = 1; deaths <= 3; deaths++)
        {
            // The first rename tries out whether a folder can be moved into place.
            var agent = Field.StartAgentKilledAt(Tree.Root, "map-01", "renameat2", 1);
            Field.WaitFor(() => agent.HasExited, $"death {deaths}");
        }
        Field.StartAgent(Tree.Root, "map-01");
        Field.WaitFor(() => Relocation("Documents").GetProperty("state").GetString() == "switched", "the other docket");

        var put = Relocation("Pictures");
        put.GetProperty("state").GetString().ShouldBe("waiting", put.ToString());
        var failure = put.GetProperty("failure");
        failure.GetProperty("code").GetString().ShouldBe("agent-died");
        failure.GetProperty("text").GetString()!.ShouldContain("ended 3 times in a row");
        var number = put.GetProperty("number").ToString();
        failure.GetProperty("next").GetString().ShouldBe("back-out");
        Field
            .Run("relocation", "show", number)
            .Out.ShouldContain($"To put everything back: `furlough relocation back-out {number}`.");

        Field
            .Run("relocation", "back-out", number, "--follow")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("Nothing has changed")
            );
        Relocation("Pictures").GetProperty("state").GetString().ShouldBe("backed-out");
        XdgUserDir("PICTURES").ShouldBe($"{Tree.Home}/Pictures");
    }
}
