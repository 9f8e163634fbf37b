using Furlough.Contracts;
using Furlough.Engine.Queue;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Engine.Tests;

/// <summary>Which dockets of a machine are carried out side by side.</summary>
public sealed class QueueTests
{
    private static readonly DocketQueue Four = new(4);
    private long _number;

    [Fact]
    public void Different_accounts_and_volumes_begin_at_once()
    {
        var (one, two) = (Of("asa.lind"), Of("per.holm"));
        Four.Startable(Queue(one, two), None).ShouldBe([one, two]);
    }

    [Fact]
    public void One_account_follows_itself_in_sequence()
    {
        var (one, two, other) = (Of("asa.lind", "Music"), Of("asa.lind", "Pictures"), Of("per.holm"));
        Four.Startable(Queue(one, two, other), None).ShouldBe([one, other]);
        WaitOf(two, Four, Queue(one, two, other)).ShouldBe(new QueueWait(one, "the account asa.lind"));
        Four.Startable(Queue(two, other), None).ShouldBe([two, other]);
    }

    [Fact]
    public void What_is_under_way_keeps_its_things_whatever_comes_before_it_in_sequence()
    {
        var (earlier, runs) = (Of("asa.lind", "Music"), Of("asa.lind", "Pictures"));
        Four.Startable(Queue(earlier, runs), new HashSet<Guid> { runs.Id }).ShouldBeEmpty();
    }

    [Theory]
    [InlineData(HoldingKind.Home, "accounts", true)]
    [InlineData(HoldingKind.Folder, "~/folders", false)]
    [InlineData(HoldingKind.Library, "/etc/sketches.conf", true)]
    public void Of_one_settings_file_two_never_run_at_once(HoldingKind kind, string container, bool shared)
    {
        var (one, two) = (
            Of("asa.lind", "x", kind, container: container),
            Of("per.holm", "x", kind, container: container)
        );
        Four.Startable(Queue(one, two), None).ShouldBe(shared ? [one] : [one, two]);
        if (shared)
            WaitOf(two, Four, Queue(one, two)).ShouldBe(new QueueWait(one, $"the settings in {container}"));
    }

    [Fact]
    public void What_lies_inside_of_what_is_moved_waits_for_it()
    {
        var common = Of("", "recordings", HoldingKind.Library) with { Source = new Place("system", "srv/common") };
        var inside = Of("per.holm") with { Source = new Place("system", "srv/common/per.holm") };
        WaitOf(inside, Four, Queue(common, inside)).ShouldBe(new QueueWait(common, "the same folders"));
    }

    [Fact]
    public void A_disk_serves_one_copy_at_a_time_and_one_that_is_complete_needs_none()
    {
        var (one, two) = (Of("asa.lind", from: "system"), Of("per.holm", from: "system"));
        WaitOf(two, Four, Queue(one, two)).ShouldBe(new QueueWait(one, "the same disk"));
        Four.Startable([new QueuedDocket(one) { IsCopied = true }, new QueuedDocket(two)], None).ShouldBe([one, two]);
        // Where only settings change, no disk is kept busy.
        var setting = two with { Method = Method.Setting };
        Four.Startable(Queue(one, setting), None).ShouldBe([one, setting]);
    }

    [Fact]
    public void An_earlier_docket_is_not_overtaken_for_what_it_waits_for()
    {
        var (runs, first, second) = (
            Of("asa.lind", from: "a", to: "b"),
            Of("per.holm", from: "b", to: "c"),
            Of("ida.berg", from: "c", to: "d")
        );
        Four.Startable(Queue(runs, first, second), new HashSet<Guid> { runs.Id }).ShouldBeEmpty();
    }

    [Fact]
    public void At_most_four_and_one_discard_beside_them()
    {
        Docket[] copies = [.. Enumerable.Range(1, 6).Select(n => Of($"person-{n}", from: $"from-{n}", to: $"to-{n}"))];
        Docket[] discards =
        [
            .. Enumerable.Range(7, 2).Select(n => Of($"person-{n}") with { Work = DocketWork.Discard }),
        ];
        var open = Queue([.. copies, .. discards]);
        Four.Startable(open, None).ShouldBe([.. copies.Take(4), discards[0]]);
        WaitOf(copies[4], Four, open)!.Reason.ShouldBe("one of the 4 places");
        WaitOf(discards[1], Four, open)!.For.ShouldBe(discards[0]);
    }

    [Fact]
    public void A_discard_changes_no_settings_and_keeps_none_from_the_others_of_its_account()
    {
        var discard = Of("asa.lind", "Music") with { Work = DocketWork.Discard };
        var copy = Of("asa.lind", "Pictures");
        Four.Startable(Queue(discard, copy), None).ShouldBe([discard, copy]);
    }

    [Fact]
    public void A_discard_never_runs_beside_a_return_of_the_same_holding()
    {
        var back = Of("asa.lind") with { Work = DocketWork.Return };
        var discard = back with { Id = Guid.CreateVersion7(), Work = DocketWork.Discard };
        Four.Startable(Queue(back, discard), None).ShouldBe([back]);
    }

    [Fact]
    public void After_a_death_everyone_who_was_there_is_carried_out_alone()
    {
        var (one, two, three) = (Of("asa.lind"), Of("per.holm"), Of("ida.berg"));
        QueuedDocket[] open = [new(one) { Alone = true }, new(two) { Alone = true }, new(three)];
        Four.Startable(open, None).ShouldBe([one]);
        Four.Startable(open, new HashSet<Guid> { one.Id }).ShouldBeEmpty();
        Four.Startable([.. open.Skip(1)], None).ShouldBe([two]);
        Four.Startable([.. open.Skip(2)], new HashSet<Guid>()).ShouldBe([three]);
    }

    private static IReadOnlySet<Guid> None { get; } = new HashSet<Guid>();

    private static IReadOnlyList<QueuedDocket> Queue(params Docket[] dockets) =>
        [.. dockets.Select(d => new QueuedDocket(d))];

    private static QueueWait? WaitOf(Docket docket, DocketQueue queue, IReadOnlyList<QueuedDocket> open) =>
        queue.Decide(open, None).Single(d => d.Docket == docket).Wait;

    private Docket Of(
        string account,
        string name = "Documents",
        HoldingKind kind = HoldingKind.Folder,
        string? from = null,
        string? to = null,
        string container = "~/folders"
    ) =>
        new Bench().Docket with
        {
            Id = Guid.CreateVersion7(),
            Relocation = ++_number,
            Method = Method.Warm,
            Holding = new HoldingName(account, kind, name),
            Source = new Place(from ?? $"disk of {account}", $"home/{account}/{name}"),
            Target = new Place(to ?? $"second disk of {account}", $"People/{account}/{name}"),
            Pointers =
            [
                new PointerChange(new PointerAddress("simulated", container, name, account), PointerValue.Absent, null),
            ],
        };
}
