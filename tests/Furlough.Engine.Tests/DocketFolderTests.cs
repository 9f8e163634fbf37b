using Furlough.Contracts;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>The folders that dockets keep: where they stand, and that nobody puts others in their stead.</summary>
public sealed class DocketFolderTests
{
    public static TheoryData<Step, DocketSide, string> Replacements
    {
        get
        {
            TheoryData<Step, DocketSide, string> all = [];
            foreach (var how in (string[])["another owner", "open to others", "another token", "a link"])
            {
                foreach (var step in (Step[])[Step.Copy, Step.Prove, Step.Repoint, Step.SetAside, Step.Reopen])
                    all.Add(step, DocketSide.Copy, how);
                foreach (var step in (Step[])[Step.SetAside, Step.Reopen])
                    all.Add(step, DocketSide.Original, how);
            }
            return all;
        }
    }

    [Theory]
    [MemberData(nameof(Replacements))]
    public void One_that_was_replaced_between_two_steps_is_noticed_and_nothing_of_it_used_I8(
        Step at,
        DocketSide side,
        string how
    )
    {
        var bench = new Bench();
        bench.Recorder.OnChange = change =>
        {
            if (change.Step != at || change.State != RelocationState.UnderWay)
                return;
            bench.Recorder.OnChange = _ => { };
            bench.Disk.ByOthers(() => Replace(bench, side, how));
        };
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe(
            how == "a link" ? "behind-link" : "docket-folder-replaced",
            bench.Recorder.Last.Failure.ToString()
        );
        bench.LivePlaceFault().ShouldBeNull();
        bench.Machine.SignInAllowed.ShouldBeTrue();
    }

    private static void Replace(Bench bench, DocketSide side, string how)
    {
        using var container = At(bench, side == DocketSide.Copy ? "data" : "system", Layout.Dockets);
        var name = Layout.FolderOf(bench.Docket.Id, side);
        container.Move(name, container, "away");
        if (how == "a link")
        {
            container.MakeLink(name, "away");
            return;
        }
        using var other = container.MakeFolder(name, Layout.Closed);
        using (var away = container.OpenFolder("away"))
            foreach (var entry in away.List().Where(e => e.Name != Layout.Token))
                away.Move(entry.Name, other, entry.Name);
        using (var token = other.MakeFile(Layout.Token))
            token.Append("made up"u8);
        if (how == "another owner")
            other.Apply(other.Facts() with { Owner = 1001 }, Attributes.None);
        if (how == "open to others")
            other.Apply(other.Facts() with { Mode = 0x1C7 }, Attributes.None);
    }

    [Fact]
    public void A_folder_above_the_target_that_is_moved_away_while_the_holding_arrives_stops_the_docket_I8()
    {
        var bench = new Bench();
        var moves = 0;
        bench.Disk.Forgets = (_, _) => false;
        bench.Recorder.OnChange = change =>
        {
            if (change.Step != Step.Repoint || change.State != RelocationState.UnderWay)
                return;
            bench.Disk.Meanwhile = () =>
            {
                // After the parent was opened and before the copy is renamed into it.
                if (++moves != 12)
                    return;
                using var people = At(bench, "data", "People");
                if (people.Find("asa.lind") is not null)
                    people.Move("asa.lind", people, "elsewhere");
            };
        };
        for (var seed = 1; seed <= 1; seed++)
            bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBeOneOf("target-moved-away", "file-operation-failed");
        bench.LivePlaceFault().ShouldBeNull();
        bench.Machine.Setting("one").ShouldBe(bench.Machine.Show(Bench.Source));
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    public void A_docket_that_an_older_version_began_is_finished_where_that_kept_its_folder(int steps)
    {
        var bench = new Bench();
        var own = Layout.FormerFolderOf(bench.Docket.Id);
        using (var root = At(bench, "data", ""))
        using (var people = root.MakeFolder("People", Layout.Open))
        using (var account = people.MakeFolder("asa.lind", Layout.Closed))
        {
            account.Apply(account.Facts() with { Owner = 1001, Group = 1001 }, Attributes.None);
            using var folder = account.MakeFolder(own, Layout.Closed);
            folder.MakeFolder(Layout.Staging, Layout.Closed).Dispose();
        }
        bench.Journal.Record(bench.Docket.Id, new Compared());
        bench.Journal.Begin(bench.Docket.Id, Step.Prepare);
        if (steps > 0)
            bench.Journal.Done(bench.Docket.Id, Step.Prepare);
        bench.Run().ShouldBe(RelocationState.Switched, $"{bench.Recorder.Last.Failure}");
        bench.LivePlaceFault().ShouldBeNull();
        using (var account = At(bench, "data", "People/asa.lind"))
            account.Find(own).ShouldNotBeNull();
        bench
            .Machine.Describe(
                bench.OwnFor(Bench.Source) with
                {
                    Path = bench.OwnFor(Bench.Source).Path + "/" + Layout.Original,
                }
            )
            .ShouldBe(bench.Before);
        bench.Docket = Dockets.Return(bench.Recorder.Last);
        bench.Run().ShouldBe(RelocationState.Returned, $"{bench.Recorder.Last.Failure}");
        using (var account = At(bench, "data", "People/asa.lind"))
            account.Find(own).ShouldBeNull("its receipt has served");
    }

    [Theory]
    [InlineData(DocketWork.Discard)]
    [InlineData(DocketWork.FallBack)]
    public void An_original_that_an_older_version_left_beside_its_place_is_found(DocketWork work)
    {
        var bench = SwitchedByOlder(out _);
        bench.Begin(work);
        bench.Run().ShouldBe(bench.Good, $"{bench.Recorder.Last.Failure}");
        bench.LivePlaceFault().ShouldBeNull();
        bench
            .Disk.Root("system")
            .Entries["home"]
            .Entries["asa.lind"]
            .Entries.Keys.ShouldBe(work == DocketWork.FallBack ? ["Pictures"] : []);
    }

    [Fact]
    public void An_account_that_gives_one_original_the_name_of_another_loses_neither_I8_I10()
    {
        var bench = SwitchedByOlder(out var own);
        using (var account = At(bench, "system", "home/asa.lind"))
        {
            account.Move(own, account, Layout.FormerFolderOf(Guid.CreateVersion7()));
            using var other = account.MakeFolder(own, Layout.Closed);
            other.MakeFolder(Layout.Original, 0x1ED).Dispose();
            other.Apply(other.Facts() with { Owner = 1001 }, Attributes.None);
        }
        bench.Docket = Dockets.Discard(bench.Recorder.Last);
        bench.Run().ShouldBe(RelocationState.Failed);
        bench.Recorder.Last.Failure!.Code.ShouldBe("docket-folder-replaced");
    }

    /// <summary>
    /// A relocation as an older version left it: the original beside its former place, nothing about that in the
    /// journal.
    /// </summary>
    private static Bench SwitchedByOlder(out string own)
    {
        var bench = new Bench();
        bench.Run().ShouldBe(RelocationState.Switched);
        own = Layout.FormerFolderOf(bench.Docket.Id);
        using var container = At(bench, "system", Layout.Dockets);
        using var account = At(bench, "system", "home/asa.lind");
        var name = Layout.FolderOf(bench.Docket.Id, DocketSide.Original);
        using (var folder = container.OpenFolder(name))
            folder.RemoveFile(Layout.Token);
        container.Move(name, account, own);
        bench.Disk.Root("system").Entries.Remove(Layout.Dockets);
        bench.Journal.Forget(bench.Docket.Id, new OwnFolder(DocketSide.Original, "", "", null));
        return bench;
    }

    private static IFolder At(Bench bench, string volume, string path) =>
        Reach.Folder(new SimulatedFolder(bench.Disk, bench.Disk.Root(volume), ""), new Place(volume, path).Parts);
}
