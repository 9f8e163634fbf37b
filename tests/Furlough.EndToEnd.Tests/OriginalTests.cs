using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// An original goes at its time, or by a decision that the history keeps; never by a number that means something else
/// (I13).
/// </summary>
public sealed class OriginalTests : RealDesk
{
    [Fact]
    public void An_original_goes_before_its_time_only_by_a_recorded_decision_and_never_by_a_relocations_number()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 40);
        Tree.FillHard($"{Tree.Home}/Pictures", 40);
        Enrol();
        Field.Run("run", "follow", StartRun()).Code.ShouldBe(0);
        var (documents, pictures) = (Original("Documents"), Original("Pictures"));
        documents.ShouldStartWith("o");
        var numbers = (string[])
            [
                .. Field
                    .Run("relocation", "list", "--json")
                    .Json.EnumerateArray()
                    .Select(r => r.GetProperty("number").ToString()),
            ];

        Field
            .Run(["original", "discard", .. numbers])
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2, o.ToString()),
                o => o.Error.ShouldContain("identifiers of their own, such as o371")
            );
        Field
            .Run("original", "discard", documents)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5, o.ToString()),
                o => o.Error.ShouldContain("is kept until"),
                o => o.Error.ShouldContain("--before-its-time --reason")
            );
        Field
            .Run("original", "discard", documents, "--before-its-time")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2, o.ToString()),
                o => o.Error.ShouldContain("needs a reason")
            );
        Field
            .Run("original", "discard", "--due")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("0 originals"));
        Field
            .Run("original", "discard", documents, pictures, "--dry-run")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 originals"));
        Field.Run("original", "list", "--json").Json.GetArrayLength().ShouldBe(2);

        // Someone emptied the live folder: the machine itself stops.
        LinuxTree.Sh(
            $"mkdir {Tree.Root}/data/kept; mv {Tree.Root}/data/People/asa.lind/Documents/* {Tree.Root}/data/kept/"
        );
        Field
            .Run("original", "discard", documents, "--before-its-time", "--reason", "the disk is full", "--follow")
            .Out.ShouldContain("files were relocated");
        Field
            .Run("original", "list", "--json")
            .Json.EnumerateArray()
            .Single(o => o.GetProperty("id").GetString() == documents)
            .GetProperty("blockers")[0]
            .GetProperty("code")
            .GetString()
            .ShouldBe("shrunk");
        Field
            .Run("original", "discard", documents, "--before-its-time", "--reason", "again")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5, o.ToString()),
                o => o.Error.ShouldContain("--acknowledge shrunk")
            );
        LinuxTree.Sh($"mv {Tree.Root}/data/kept/* {Tree.Root}/data/People/asa.lind/Documents/");

        // What stands at the former place again is looked at first.
        LinuxTree.Sh($"mkdir {Tree.Home}/Pictures; echo late > {Tree.Home}/Pictures/late");
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.WaitFor(
            () => Field.Run("original", "list").Out.Contains("written-at-former-place", StringComparison.Ordinal),
            "the survey"
        );
        Field
            .Run("original", "discard", pictures, "--before-its-time", "--reason", "the disk is full")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5, o.ToString()),
                o => o.Error.ShouldContain("stand at the former place again")
            );
        Field
            .Run(
                "original",
                "discard",
                pictures,
                "--before-its-time",
                "--acknowledge",
                "written-at-former-place",
                "--reason",
                "the late file is a test",
                "--follow"
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("finished"));
        Field
            .Run("history", "list")
            .Out.ShouldContain($"{pictures}, before its time, written-at-former-place: the late file is a test");
        Field.Run("original", "list", "--json").Json.GetArrayLength().ShouldBe(1);
    }
}
