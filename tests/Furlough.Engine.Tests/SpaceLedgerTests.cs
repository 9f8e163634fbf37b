using Furlough.Contracts;
using Furlough.Engine.Records;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Room at a target on which two dockets must not both count.</summary>
public sealed class SpaceLedgerTests
{
    private static readonly Guid Other = Guid.CreateVersion7();
    private readonly Bench _bench = new();

    [Fact]
    public void What_another_one_still_needs_is_waited_for_and_told_once()
    {
        Free(megabytes: 40);
        _bench.Journal.Record(Other, new TargetClaim(new Place("data", "People/per.holm"), 30L << 20));
        _bench.Run().ShouldBe(RelocationState.Waiting);
        _bench.Run().ShouldBe(RelocationState.Waiting);
        var failure = _bench.Recorder.Changes.Single(c => c.State == RelocationState.Waiting).Failure!;
        failure.Code.ShouldBe("space-claimed");
        failure.Text.ShouldContain("still need 31.5 MB of it");
        _bench.Machine.Describe(_bench.Target).ShouldBe("(missing)");

        _bench.Journal.Done(Other, Step.Copy);
        _bench.Run().ShouldBe(_bench.Good);
        _bench.EndFault().ShouldBeNull();
    }

    [Fact]
    public void One_that_has_ended_claims_nothing()
    {
        Free(megabytes: 40);
        _bench.Journal.Record(Other, new TargetClaim(new Place("data", "People/per.holm"), 30L << 20));
        _bench.Journal.End(Other, RelocationState.Failed);
        _bench.Run().ShouldBe(_bench.Good);
    }

    [Fact]
    public void Claims_on_another_volume_do_not_count()
    {
        Free(megabytes: 40);
        _bench.Journal.Record(Other, new TargetClaim(new Place("system", "People/per.holm"), 30L << 20));
        _bench.Run().ShouldBe(_bench.Good);
    }

    [Fact]
    public void Where_there_is_too_little_for_one_alone_it_fails()
    {
        Free(megabytes: 10);
        _bench.Journal.Record(Other, new TargetClaim(new Place("data", "People/per.holm"), 30L << 20));
        _bench.Run().ShouldBe(RelocationState.Failed);
        _bench.Recorder.Last.Failure!.Code.ShouldBe("target-fuller-than-surveyed");
    }

    [Fact]
    public void Waiting_for_room_ends_when_the_docket_is_backed_out()
    {
        Free(megabytes: 40);
        _bench.Journal.Record(Other, new TargetClaim(new Place("data", "People/per.holm"), 30L << 20));
        _bench.Run().ShouldBe(RelocationState.Waiting);
        _bench.Permits.Wish = Wish.BackOut;
        _bench.Run().ShouldBe(RelocationState.BackedOut);
    }

    [Fact]
    public void A_folder_that_another_one_is_about_to_use_is_not_taken_away_with_the_others()
    {
        _bench.Journal.Record(Other, new TargetClaim(new Place("data", "People/per.holm/Music"), 0));
        _bench.Permits.Answer = Engine.Ports.PermitAnswer.Refused;
        _bench.Run().ShouldBe(RelocationState.BackedOut);
        _bench.Disk.Root("data").Entries["People"].Entries.ShouldBeEmpty();

        _bench.Journal.End(Other, RelocationState.Failed);
        var alone = new Bench();
        alone.Permits.Answer = Engine.Ports.PermitAnswer.Refused;
        alone.Run().ShouldBe(RelocationState.BackedOut);
        alone.Disk.Root("data").Entries.ShouldNotContainKey("People");
    }

    private void Free(int megabytes) => _bench.Disk.CapacityBytes = (long)megabytes << 20;
}
