using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>
/// What is at its target already becomes live: because it equals the source, or by its receipt after the system was
/// reinstalled.
/// </summary>
public sealed class AdoptionTests
{
    [Theory]
    [InlineData("added")]
    [InlineData("plot-0")]
    public void Content_that_is_not_equal_to_the_source_is_not_adopted_and_stays_I7(string name)
    {
        var bench = new Bench(method: Method.Adopt);
        using (var folder = At(bench, bench.Target))
        using (var file = name == "added" ? folder.MakeFile(name) : folder.OpenFile(name, append: true))
            file.Append("other"u8);
        var there = bench.Machine.Describe(bench.Target);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("target-not-equal");
        bench.Recorder.Last.Failure!.Text.ShouldContain(name);
        bench.Machine.Describe(bench.Target).ShouldBe(there);
        bench.Machine.Describe(Bench.Source).ShouldBe(bench.Before);
        bench.Machine.SignInAllowed.ShouldBeTrue();
    }

    [Fact]
    public void A_holding_is_adopted_by_its_receipt_with_what_was_added_since_and_owners_by_name()
    {
        var bench = Switched();
        using (var folder = At(bench, bench.Target))
        using (var added = folder.MakeFile("added"))
        {
            added.Append("since"u8);
            added.Apply(added.Facts() with { Owner = 1001, Group = 1001 }, Attributes.None);
        }
        var live = bench.Machine.Describe(bench.Target);
        var receipt = ReceiptAt(bench);
        bench.SetUpAnew(1002, home => home.MakeFolder("Pictures", 0x1C0).MakeFile("saved since").Dispose());
        bench.Docket = Adopting(bench, receipt);
        bench.Run().ShouldBe(RelocationState.Switched, bench.Recorder.Last.Failure?.ToString());

        bench.Machine.Describe(bench.Target).ShouldBe(live.Replace("|1001|", "|1002|", StringComparison.Ordinal));
        bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(bench.Target));
        bench.Recorder.Last.Notes.ShouldContain(n =>
            n.Contains("1 written since", StringComparison.Ordinal)
            && n.Contains("0 not there any more", StringComparison.Ordinal)
        );
        bench.Recorder.Last.Notes.ShouldContain(n => n.Contains("account 1001 is 1002 now", StringComparison.Ordinal));
        bench.Machine.Describe(Original(bench)).ShouldContain("saved since");
        using (var above = At(bench, bench.Target with { Path = "People/asa.lind" }))
        {
            above.Facts().Owner.ShouldBe(1002u, "the account must get through");
            DocketFolders
                .List(new SimulatedFolder(bench.Disk, bench.Disk.Root("data"), ""), FileSystemAbilities.Full)
                .Count.ShouldBe(1, "the former receipt has served");
        }
        var second = ReceiptAt(bench);
        bench.SetUpAnew(1003);
        bench.Docket = Adopting(bench, second);
        bench.Run().ShouldBe(RelocationState.Switched, "a second time, by the receipt of the first");
        bench.Recorder.Last.Original.ShouldBeNull("nothing stood at the source");
    }

    /// <summary>Numbers were exchanged between two people, so that renumbering twice would be wrong.</summary>
    [Fact]
    public void A_crash_after_any_operation_of_an_adoption_by_receipt_is_finished_afterwards_I5()
    {
        for (var (at, finished) = (1, false); !finished; at++)
        {
            var bench = Switched();
            var expected = bench.Before.Replace("|1001|", "|1002|", StringComparison.Ordinal);
            var receipt = ReceiptAt(bench);
            bench.SetUpAnew(1002, home => home.MakeFolder("Pictures", 0x1C0).MakeFile("saved since").Dispose());
            bench.Docket = Adopting(bench, receipt);
            bench.Disk.CrashAt = bench.Disk.Operations + at;
            var end = bench.Run();
            bench.Disk.Crash(new Random(at));
            bench
                .Machine.Describe(bench.Target)
                .Replace("|1001|", "|1002|", StringComparison.Ordinal)
                .ShouldBe(expected, $"crashed after operation {at}");
            finished = end is not null;
            if (!finished)
                bench
                    .Run()
                    .ShouldBe(RelocationState.Switched, $"crashed after operation {at}: {bench.Recorder.Last.Failure}");
            bench.Machine.Describe(bench.Target).ShouldBe(expected, $"crashed after operation {at}");
            bench.Machine.Describe(Original(bench)).ShouldContain("saved since");
        }
    }

    [Fact]
    public void Content_that_rotted_since_the_receipt_is_found()
    {
        var bench = Switched();
        using (var folder = At(bench, bench.Target))
        using (var file = folder.OpenFile("plot-0", append: true))
        {
            var facts = file.Facts();
            ((SimulatedFolder)folder).Node.Entries["plot-0"].Content[0] ^= 1;
            file.Apply(facts, Attributes.None);
        }
        var receipt = ReceiptAt(bench);
        bench.SetUpAnew(1002);
        bench.Docket = Adopting(bench, receipt);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Text.ShouldContain("has another content than the receipt lists");
        var renumbered = bench.Machine.Describe(bench.Target);
        renumbered.ShouldContain("|1002|");
        bench.Docket = Adopting(bench, receipt);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Machine.Describe(bench.Target).ShouldBe(renumbered, "trying again does not exchange the numbers back");
        bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(Bench.Source));
    }

    [Theory]
    [InlineData("another digest")]
    [InlineData("made by the account")]
    [InlineData("for another place")]
    [InlineData("gone")]
    public void A_receipt_that_is_not_the_one_that_was_found_genuine_gives_nobody_anything_I8(string what)
    {
        var bench = Switched();
        var receipt = ReceiptAt(bench);
        bench.SetUpAnew(1002);
        bench.Docket = Adopting(bench, receipt);
        using (var container = At(bench, bench.Target with { Path = Layout.Dockets }))
        using (var parent = At(bench, bench.Target with { Path = "People/asa.lind" }))
        {
            var name = Layout.FolderOf(bench.Docket.Adoption!.Docket, DocketSide.Copy);
            if (what == "another digest")
                bench.Docket = bench.Docket with { Adoption = bench.Docket.Adoption with { Digest = "0" } };
            if (what == "gone")
                TreeRemoval.Run(container, name, CancellationToken.None);
            if (what == "made by the account")
                using (var own = container.OpenFolder(name))
                    own.Apply(own.Facts() with { Owner = 1002 }, Attributes.None);
            if (what == "for another place")
            {
                parent.MakeFolder("Stolen", 0x1C0).Dispose();
                bench.Docket = bench.Docket with { Target = bench.Target with { Path = "People/asa.lind/Stolen" } };
            }
        }
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("receipt-unfit");
        bench.Machine.Describe(bench.Target).ShouldBe(bench.Before);
        bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(Bench.Source));
    }

    private static Bench Switched()
    {
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        return bench;
    }

    private static IFolder At(Bench bench, Place place) =>
        Reach.Folder(new SimulatedFolder(bench.Disk, bench.Disk.Root(place.Volume), ""), place.Parts);

    private static Place Original(Bench bench) =>
        bench.OwnFor(Bench.Source) with
        {
            Path = bench.OwnFor(Bench.Source).Path + "/" + Layout.Original,
        };

    private static string ReceiptAt(Bench bench)
    {
        using var own = At(bench, bench.OwnFor(bench.Target));
        using var file = own.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        return text.ReadToEnd();
    }

    private static Docket Adopting(Bench bench, string receipt)
    {
        var (read, body, _) = Receipt.Parse(receipt)!.Value;
        return bench.Docket with
        {
            Id = Guid.CreateVersion7(),
            AccountId = $"{bench.Machine.Number}",
            Method = Method.Adopt,
            Adoption = new Adoption(read.Docket.Id, ReceiptDigest.Of(body)),
        };
    }
}
