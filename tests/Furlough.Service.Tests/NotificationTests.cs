using Furlough.Contracts;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Audits;
using Furlough.Service.Notifications;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

/// <summary>What people are told of, and what becomes of it.</summary>
public sealed class NotificationTests
{
    private static readonly Uri Console = new("http://127.0.0.1:8400");

    [Fact]
    public async Task Each_receiver_gets_what_it_wants_of_what_happened_since_it_was_added_once()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await office.StartAsync(Office.Brief());
        await AddAsync(office, "board");
        await AddAsync(office, "keeper", NotificationEvent.RunEnded);
        foreach (var docket in await desk.FetchAsync())
            await desk.SwitchAsync(docket);
        await WorkAsync(office);
        await WorkAsync(office);
        var made = await AllAsync(office);
        made.Select(n => (n.Receiver, n.Event, n.Subject))
            .ShouldBe(
                [
                    ("board", NotificationEvent.RunEnded, "Run 1 has ended"),
                    ("keeper", NotificationEvent.RunEnded, "Run 1 has ended"),
                ],
                ignoreOrder: true
            );
        made[0].Text.ShouldContain("Room on the system volumes: 2 switched.");
        made[0].Text.ShouldContain("http://127.0.0.1:8400/runs/1");
    }

    [Fact]
    public async Task A_report_that_is_refused_and_a_person_who_cannot_sign_in_are_told()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await AddAsync(office, "board", NotificationEvent.ReportRefused, NotificationEvent.AccountKeptOut);
        await office.StartAsync(Office.Brief());
        var docket = (await desk.FetchAsync())[0];
        await desk.SwitchAsync(docket);
        await desk.SayAsync(docket, RelocationState.UnderWay);
        var survey = MadeUpSurvey.Usual(office.Clock.GetUtcNow());
        foreach (var other in (await office.RelocationsAsync()).Where(r => !r.State.IsAtRest()))
            await office.PutAsync(other.Number, RelocationState.Failed, Live.Source, RelocationState.Queued);
        for (var surveys = 0; surveys < 2; surveys++)
            await desk.SurveyAsync(
                survey with
                {
                    Accounts = [survey.Accounts[0] with { KeptOut = "relocation 2" }, survey.Accounts[1]],
                }
            );
        await WorkAsync(office);
        (await AllAsync(office))
            .Select(n => n.Text)
            .ShouldBe([
                $"map-01 reported relocation {docket.Relocation} as under-way. It is switched, and its relocate "
                    + "docket had ended: switched. The report was not applied.\n\nThe machine may have been restored "
                    + "from an image, or its agent may be faulty. Hold it with "
                    + "`furlough machine hold map-01 --reason TEXT`, then look at it: "
                    + "http://127.0.0.1:8400/machines/map-01",
                "Furlough keeps asa.lind from signing in on map-01, and no relocation under way needs that: "
                    + "relocation 2.\n\n`furlough-agent let-in asa.lind` at the machine lets the person in. "
                    + "http://127.0.0.1:8400/",
            ]);
    }

    [Fact]
    public async Task An_audit_without_findings_is_nothing_to_tell_and_one_with_findings_is()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        await AddAsync(office, "board", NotificationEvent.Findings);
        await office.StartAsync(Office.Brief());
        var dockets = await desk.FetchAsync();
        office.Clock.Advance(TimeSpan.FromMinutes(5));
        await office.Part<AuditDesk>().MakeAsync("mara.ostby", Office.Stop);
        await WorkAsync(office);
        var first = (await AllAsync(office)).Count;
        (await office.HistoryAsync("audit made")).Single().Detail.ShouldBe(first == 0 ? "0 findings" : "1 finding");
        // The setting does not lead to where the relocation has left it.
        foreach (var docket in dockets)
            await desk.SayAsync(docket, RelocationState.UnderWay);
        await desk.SayAsync(dockets[0], RelocationState.Switched, Live.Target);
        await office.Store.WriteAsync(
            db =>
                db.Relocations.Where(r => r.Number == dockets[0].Relocation)
                    .ExecuteUpdateAsync(
                        set =>
                            set.SetProperty(
                                r => r.Pointers,
                                Column.Write(
                                    [
                                        new PointerHistory(
                                            dockets[0].Pointers[0].Address,
                                            dockets[0].Pointers[0].Expected,
                                            new PointerValue("text", "/data/elsewhere")
                                        ),
                                    ],
                                    ModelJson.Default.IReadOnlyListPointerHistory
                                )
                            ),
                        Office.Stop
                    ),
            Office.Stop
        );
        office.Clock.Advance(TimeSpan.FromMinutes(5));
        var audit = await office.Part<AuditDesk>().MakeAsync("mara.ostby", Office.Stop);
        audit.Findings.ShouldNotBeEmpty();
        await WorkAsync(office);
        (await AllAsync(office)).Count.ShouldBe(first + 1);
    }

    [Fact]
    public async Task A_call_that_fails_is_tried_again_ever_later_and_given_up_with_its_reason()
    {
        await using var office = await Office.OpenAsync();
        await office.DeskAsync("map-01");
        await AddAsync(office, "board");
        var run = (await office.StartAsync(Office.Brief())).Number;
        await office.Part<Runs.Steering>().HaltAsync(run, default, "mara.ostby", Office.Stop);
        await WorkAsync(office);
        List<TimeSpan> waits = [];
        for (var attempts = 1; (await AllAsync(office)).Exists(n => n.State == NotificationState.Waiting); attempts++)
        {
            attempts.ShouldBeLessThan(20);
            var next = (await AllAsync(office)).Where(n => n.State == NotificationState.Waiting).Min(n => n.NextAt);
            waits.Add(next - office.Clock.GetUtcNow());
            // Not before its time.
            office.Clock.Advance(waits[^1] - TimeSpan.FromSeconds(1));
            (await office.Part<NotificationDesk>().TurnAsync(Office.Stop)).ShouldBeFalse();
            office.Clock.Advance(TimeSpan.FromSeconds(1));
            await office.Part<NotificationDesk>().TurnAsync(Office.Stop);
        }
        waits.ShouldBeInOrder();
        waits.Count.ShouldBe(7);
        waits.Sum(w => w.TotalHours).ShouldBeInRange(34, 36);
        var receiver = (await office.Part<Receivers>().ListAsync(Office.Stop)).Single();
        receiver.Troubles.ShouldNotBeEmpty();
        receiver.Troubles.ShouldAllBe(t => t.State == NotificationState.GivenUp && t.Why.Length > 0);
    }

    /// <summary>To an address of this machine, which the service refuses to call: nothing leaves it.</summary>
    private static Task<ReceiverView> AddAsync(Office office, string name, params NotificationEvent[] on) =>
        office
            .Part<Receivers>()
            .AddAsync(new ReceiverRequest(name, null, "http://127.0.0.1:9/", on), "mara.ostby", Office.Stop);

    private static async Task WorkAsync(Office office)
    {
        while (await office.Part<NotificationDesk>().TurnAsync(Office.Stop)) { }
    }

    private sealed record Made(
        string Receiver,
        NotificationEvent Event,
        string Subject,
        string Text,
        NotificationState State,
        DateTimeOffset NextAt
    );

    private static Task<List<Made>> AllAsync(Office office) =>
        office.Store.ReadAsync(
            db =>
                db.Notifications.OrderBy(n => n.Entry)
                    .Join(
                        db.Receivers,
                        n => n.Receiver,
                        r => r.Id,
                        (n, r) => new Made(r.Name, n.Event, n.Subject, n.Text, n.State, n.NextAt)
                    )
                    .ToListAsync(Office.Stop),
            Office.Stop
        );
}
