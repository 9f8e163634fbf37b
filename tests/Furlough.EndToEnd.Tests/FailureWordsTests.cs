using Furlough.Model;
using Furlough.Protocol;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>How failures read in a terminal.</summary>
public sealed class FailureWordsTests
{
    private static readonly Failure Plain = new("volume-absent", "It stopped.", "Nothing has changed.", "Attach it.")
    {
        Relocation = 12,
    };

    public static TheoryData<NextStep> Steps() => [.. Enum.GetValues<NextStep>().Where(s => s != NextStep.None)];

    [Theory]
    [MemberData(nameof(Steps))]
    public void Every_next_step_is_a_whole_sentence(NextStep next)
    {
        var sentence = (Plain with { Remedy = "", Next = next }).Sentences()[^1];
        sentence.ShouldMatch("^[A-Z`].*[.`]$");
        sentence.Count(c => c == '`').ShouldBeGreaterThanOrEqualTo(next == NextStep.Wait ? 0 : 2);
        (sentence.Count(c => c == '`') % 2).ShouldBe(0);
    }

    [Fact]
    public void What_to_put_right_comes_before_the_command() =>
        (Plain with { Next = NextStep.Retry })
            .InFull()
            .ShouldBe("It stopped. Nothing has changed. Attach it. To retry: `furlough relocation retry 12`.");

    [Fact]
    public void Who_is_still_locked_out_is_said_with_the_way_in() =>
        (Plain with { LockedOut = "asa.lind" })
            .InFull()
            .ShouldContain("`furlough-agent let-in asa.lind` at the machine");

    [Fact]
    public void A_failure_of_an_earlier_version_has_its_command_in_the_remedy() =>
        new Failure("volume-absent", "It stopped.", "", "Attach it, then `furlough relocation retry 12`.")
            .Sentences()[^1]
            .ShouldBe("Attach it, then `furlough relocation retry 12`.");

    [Fact]
    public void Every_kind_of_fault_has_a_code_of_its_own_and_is_found_by_it()
    {
        FaultKinds.All.Count.ShouldBeGreaterThan(80);
        foreach (var kind in FaultKinds.All)
        {
            kind.Code.ShouldMatch("^[a-z]+(-[a-z]+)*$");
            FaultKinds.Find(kind.Code).ShouldBe(kind);
        }
    }
}
