using System.Globalization;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Notifications;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>Two instances of the service with one storage.</summary>
public sealed class InstanceTests
{
    [Fact]
    public async Task What_one_instance_stores_the_other_hears()
    {
        await using var one = await Office.OpenAsync();
        await using var other = await one.BesideAsync();
        await other.FollowAsync();
        (await other.Part<MachineBoard>().MachinesAsync(Office.Stop)).ShouldBeEmpty();
        await using var hints = other.Part<LiveHub>().ListenAsync(Office.Stop).GetAsyncEnumerator(Office.Stop);
        await hints.MoveNextAsync();
        var desk = await one.DeskAsync("map-01");
        var waiting = other.Part<DocketSignals>().Next(desk.Id);
        var run = await one.StartAsync(Office.Brief());
        waiting.IsCompleted.ShouldBeFalse("nothing was heard yet");

        await other.FollowAsync();
        waiting.IsCompleted.ShouldBeTrue("its agent waits at the other instance");
        (await other.Part<MachineBoard>().MachinesAsync(Office.Stop)).Single().Standing.ShouldBe(Standing.UnderWay);
        List<string> heard = [];
        while (!heard.Contains($"run {run.Number}"))
        {
            (await hints.MoveNextAsync()).ShouldBeTrue();
            heard.Add($"{hints.Current.Kind} {hints.Current.Subject}");
        }
        heard.ShouldContain($"machine {desk.Id}");
    }

    [Fact]
    public async Task Who_has_missed_entries_believes_nothing_that_it_remembers()
    {
        await using var one = await Office.OpenAsync();
        await using var other = await one.BesideAsync();
        await one.DeskAsync("map-01");
        await other.FollowAsync();
        (await other.Part<MachineBoard>().MachinesAsync(Office.Stop)).Single().Tag.ShouldBeNull();
        await one.Part<MachineDesk>().TagAsync(new TagRequest(["map-01"], "pilot"), "mara.ostby", Office.Stop);
        await one.Part<MachineDesk>().TagAsync(new TagRequest(["map-01"], "standard"), "mara.ostby", Office.Stop);
        await one.Store.WriteAsync(
            async db =>
            {
                var last = await db.Outbox.MaxAsync(e => e.Number, Office.Stop);
                return await db.Outbox.Where(e => e.Number < last).ExecuteDeleteAsync(Office.Stop);
            },
            Office.Stop
        );
        await other.FollowAsync();
        (await other.Part<MachineBoard>().MachinesAsync(Office.Stop)).Single().Tag.ShouldBe("standard");
    }

    [Fact]
    public async Task Every_entry_is_read_once_and_in_order_while_two_instances_store()
    {
        const int each = 150;
        await using var one = await Office.OpenAsync();
        await using var other = await one.BesideAsync();
        await using var reader = await one.BesideAsync();
        List<int> heard = [];
        reader.Store.Stored += entry =>
            heard.AddRange(
                entry.Said.Where(h => h.Kind == "test").Select(h => int.Parse(h.Subject, CultureInfo.InvariantCulture))
            );
        await reader.FollowAsync();
        var storing = Task.WhenAll(
            Enumerable
                .Range(0, 2 * each)
                .Select(n =>
                    (n % 2 == 0 ? one : other).Store.WriteAsync(
                        db =>
                        {
                            db.Effects.Say("test", n);
                            return Task.FromResult(n);
                        },
                        Office.Stop
                    )
                )
        );
        while (!storing.IsCompleted)
            await reader.FollowAsync();
        await storing;
        await reader.FollowAsync();
        heard.Order().ShouldBe(Enumerable.Range(0, 2 * each));
        heard.Where(n => n % 2 == 0).ShouldBeInOrder();
        heard.Where(n => n % 2 == 1).ShouldBeInOrder();
    }

    [Fact]
    public async Task Old_entries_are_removed()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        await NumberFromAsync(office, Outbox.Kept + 998);
        await office.DeskAsync("map-02");
        var numbers = await office.Store.ReadAsync(
            db => db.Outbox.Select(e => e.Number).ToListAsync(Office.Stop),
            Office.Stop
        );
        numbers.ShouldNotBeEmpty();
        numbers.ShouldAllBe(n => n > 1_000);
    }

    [Fact]
    public async Task A_work_is_one_instances_and_one_that_was_overtaken_writes_nothing()
    {
        await using var one = await Office.OpenAsync();
        await using var other = await one.BesideAsync();
        var first = (await TakeAsync(one)).ShouldNotBeNull();
        (await TakeAsync(other)).ShouldBeNull("another one has it");
        (await TakeAsync(one)).ShouldBe(first, "it is kept for longer");
        (await NoteAsync(one, first)).ShouldBe(1);

        await RunOutAsync(one);
        (await NoteAsync(one, first)).ShouldBe(1, "nobody has taken it over");
        var second = (await TakeAsync(other)).ShouldNotBeNull();
        second.Epoch.ShouldBe(first.Epoch + 1);
        var before = one.Everything();
        await Should.ThrowAsync<LeaseLostException>(() => NoteAsync(one, first));
        one.Everything().ShouldBe(before);
        (await NoteAsync(other, second)).ShouldBe(1);

        await one.Part<Leases>().GiveBackAsync(first, Office.Stop);
        (await TakeAsync(one)).ShouldBeNull("it was not its to give back");
        await other.Part<Leases>().GiveBackAsync(second, Office.Stop);
        (await TakeAsync(one)).ShouldNotBeNull().Epoch.ShouldBe(second.Epoch + 1);
    }

    [Fact]
    public async Task Notifications_are_sent_by_one_instance_and_what_it_left_half_done_is_uncertain()
    {
        await using var one = await Office.OpenAsync();
        await using var other = await one.BesideAsync();
        var desk = await one.DeskAsync("map-01");
        await one.Part<Receivers>()
            .AddAsync(
                new ReceiverRequest("board", null, "http://127.0.0.1:9/", [NotificationEvent.RunEnded]),
                "mara.ostby",
                Office.Stop
            );
        await one.StartAsync(Office.Brief());
        foreach (var docket in await desk.FetchAsync())
            await desk.SwitchAsync(docket);
        (await one.Part<NotificationDesk>().TurnAsync(Office.Stop)).ShouldBeTrue();
        (await other.Part<NotificationDesk>().TurnAsync(Office.Stop)).ShouldBeFalse("it is the first one's");
        await one.Store.WriteAsync(
            db =>
                db.Notifications.ExecuteUpdateAsync(
                    set => set.SetProperty(n => n.State, NotificationState.Sending),
                    Office.Stop
                ),
            Office.Stop
        );
        await RunOutAsync(one);
        await other.Part<NotificationDesk>().TurnAsync(Office.Stop);
        (
            await one.Store.ReadAsync(db => db.Notifications.Select(n => n.State).ToListAsync(Office.Stop), Office.Stop)
        ).ShouldBe([NotificationState.Uncertain]);
        one.Clock.Advance(TimeSpan.FromMinutes(1));
        (await one.Part<NotificationDesk>().TurnAsync(Office.Stop)).ShouldBeFalse("it is the second one's");
    }

    [Fact]
    public async Task A_unit_whose_rows_changed_meanwhile_runs_again_and_is_refused_when_that_never_ends()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        var attempts = 0;
        // Once in vain before, as every unit of these tests.
        (await TagAsync(office, desk.Id, "pilot", () => ++attempts < 4)).ShouldBe("pilot");
        attempts.ShouldBe(4);
        var before = office.Everything();
        var refused = await Should.ThrowAsync<RefusedException>(() => TagAsync(office, desk.Id, "lost", () => true));
        (refused.Kind, refused.Code).ShouldBe((RefusalKind.Conflict, "changed-meanwhile"));
        office.Everything().ShouldBe(before);
    }

    private static Task<Lease?> TakeAsync(Office office) =>
        office.Part<Leases>().TakeAsync("test", TimeSpan.FromHours(1), Office.Stop);

    private static Task<int> NoteAsync(Office office, Lease lease) =>
        office.Store.WriteAsync(
            lease,
            db =>
            {
                db.Record(office.Clock.GetUtcNow(), "test", HistoryEvent.Noted, new(SubjectKind.Machine, null, "x"));
                return Task.FromResult(1);
            },
            Office.Stop
        );

    private static Task RunOutAsync(Office office) =>
        office.Store.WriteAsync(
            db =>
                db.Leases.ExecuteUpdateAsync(
                    set => set.SetProperty(l => l.Until, DateTimeOffset.UnixEpoch),
                    Office.Stop
                ),
            Office.Stop
        );

    private static Task NumberFromAsync(Office office, long last) =>
        office.Store.WriteAsync(
            db => db.Counters.ExecuteUpdateAsync(set => set.SetProperty(c => c.Last, last), Office.Stop),
            Office.Stop
        );

    /// <summary>Tags a machine while others change it.</summary>
    private static Task<string> TagAsync(Office office, Guid machine, string tag, Func<bool> others) =>
        office.Store.WriteAsync(
            async db =>
            {
                var row = (await db.Machines.FindAsync([machine], Office.Stop))!;
                if (others())
                    await db.Database.ExecuteSqlAsync($"UPDATE Machines SET Version = Version + 1", Office.Stop);
                row.Tag = tag;
                return tag;
            },
            Office.Stop
        );
}
