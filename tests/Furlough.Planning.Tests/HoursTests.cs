using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Plans;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

/// <summary>Allowed hours: reading calendars, planning within them.</summary>
public sealed class HoursTests
{
    private static readonly TimeZoneInfo Berlin = TimeZoneInfo.FindSystemTimeZoneById("Europe/Berlin");

    private static string Calendar(params string[] events) =>
        "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//test//EN\n"
        + string.Concat(
            events.Select((e, i) => $"BEGIN:VEVENT\nUID:{i}@test\nDTSTAMP:20260101T000000Z\n{e}\nEND:VEVENT\n")
        )
        + "END:VCALENDAR\n";

    private static IEnumerable<string> First(string calendar, string moment, int count = 3) =>
        AllowedHours
            .Read(calendar, Berlin)
            .After(DateTimeOffset.Parse(moment, System.Globalization.CultureInfo.InvariantCulture))
            .Take(count)
            .Select(h => $"{h.From.UtcDateTime:yyyy-MM-dd HH:mm} {h.Length.TotalHours}");

    [Fact]
    public void Weekday_nights_are_told_with_exceptions_from_the_one_that_is_open() =>
        First(
                Calendar(
                    "DTSTART:20260302T200000Z\nDTEND:20260303T040000Z\nRRULE:FREQ=WEEKLY;BYDAY=MO,TU,WE,TH\nEXDATE:20260304T200000Z"
                ),
                "2026-03-03T01:00Z"
            )
            .ShouldBe(["2026-03-02 20:00 8", "2026-03-03 20:00 8", "2026-03-05 20:00 8"]);

    [Fact]
    public void Local_hours_stay_local_when_the_clocks_change() =>
        First(
                Calendar(
                    "DTSTART;TZID=Europe/Berlin:20260327T220000\nDTEND;TZID=Europe/Berlin:20260327T230000\nRRULE:FREQ=DAILY"
                ),
                "2026-03-27T12:00Z"
            )
            .ShouldBe(["2026-03-27 21:00 1", "2026-03-28 21:00 1", "2026-03-29 20:00 1"]);

    [Fact]
    public void Times_without_a_zone_are_those_of_the_service() =>
        First(Calendar("DTSTART:20260701T220000\nDURATION:PT2H"), "2026-07-01T00:00Z").ShouldBe(["2026-07-01 20:00 2"]);

    [Fact]
    public void Whole_days_count_and_events_that_touch_are_one() =>
        First(
                Calendar(
                    "DTSTART;VALUE=DATE:20260704\nDTEND;VALUE=DATE:20260705",
                    "DTSTART:20260703T220000Z\nDTEND:20260703T230000Z",
                    "DTSTART:20260704T210000Z\nDTEND:20260704T235000Z"
                ),
                "2026-07-01T00:00Z"
            )
            .ShouldBe(["2026-07-03 22:00 25.833333333333332"]);

    [Fact]
    public void A_calendar_whose_events_are_over_allows_nothing() =>
        First(Calendar("DTSTART:20200101T000000Z\nDTEND:20200102T000000Z"), "2026-07-01T00:00Z").ShouldBeEmpty();

    [Theory]
    [InlineData("", "no")]
    [InlineData("nonsense", "no")]
    [InlineData("BEGIN:VCALENDAR\nEND:VCALENDAR", "no events")]
    public void What_is_no_calendar_is_refused(string text, string message) =>
        Should.Throw<FormatException>(() => AllowedHours.Read(text, Berlin)).Message.ShouldContain(message);

    [Theory]
    [InlineData("DTEND:20260101T000000Z", "no start")]
    [InlineData("DTSTART;TZID=Fen/Nowhere:20260101T000000\nDTEND;TZID=Fen/Nowhere:20260101T010000", "Fen/Nowhere")]
    [InlineData("DTSTART:20260101T000000Z\nDTEND:20260101T000001Z\nRRULE:FREQ=SECONDLY", "not by the minute or second")]
    [InlineData(
        "DTSTART:20250101T000000Z\nDTEND:20250101T010000Z\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30",
        "cannot be worked out"
    )]
    [InlineData("DTSTART:20251201T000000Z\nDTEND:20270101T000000Z", "longer than 60 days")]
    public void Events_that_cannot_be_worked_out_are_refused(string one, string message) =>
        Should.Throw<FormatException>(() => AllowedHours.Read(Calendar(one), Berlin)).Message.ShouldContain(message);

    [Fact]
    public void Work_is_put_into_the_hours_piece_by_piece()
    {
        var begun = DateTimeOffset.UnixEpoch;
        HoursOutlook nights = new([
            .. Enumerable
                .Range(0, 5)
                .Select(d => new OpenHours(begun.AddDays(d).AddHours(20), begun.AddDays(d).AddHours(28))),
        ]);
        Done(5).ShouldBe(begun.AddHours(25));
        Done(5, 3).ShouldBe(begun.AddHours(28));
        Done(5, 4).ShouldBe(begun.AddHours(24 + 24), "four hours do not fit into what the first night leaves");
        Done(5, 9, 1).ShouldBe(begun.AddHours(26), "what fits nowhere is left out");
        new HoursOutlook(null)
            .Done(begun, [(TimeSpan.FromHours(10), TimeSpan.FromHours(20))])
            .ShouldBe(begun.AddHours(30));

        nights
            .Done(begun, [(TimeSpan.FromHours(20), TimeSpan.FromHours(1))])
            .ShouldBe(
                begun.AddHours(48 + 25),
                "a warm copy of twenty hours rests twice, and the account is locked out in the third night"
            );
        nights.Done(begun, [(TimeSpan.FromHours(8), TimeSpan.FromHours(1))]).ShouldBe(begun.AddHours(24 + 21));

        DateTimeOffset Done(params int[] hours) =>
            nights.Done(begun, hours.Select(h => (TimeSpan.Zero, TimeSpan.FromHours(h))));
    }

    [Theory]
    [Shows("longer-than-hours", "may-outlast-hours")]
    [InlineData("PT1M", "longer-than-hours", Severity.Blocking)]
    [InlineData("PT4M", "may-outlast-hours", Severity.Advice)]
    [InlineData("PT2H", null, Severity.Advice)]
    public void A_forecast_is_held_against_the_longest_hours(string length, string? code, Severity severity)
    {
        var survey = Survey([Small(), Data()], Holding());
        var free = Plan(Brief(), survey);
        var took = free.Relocations.Single().Forecast!.Work;
        (took.Likely, took.High).ShouldSatisfyAllConditions(
            t => t.Likely.ShouldBeInRange(TimeSpan.FromMinutes(2), TimeSpan.FromMinutes(4)),
            t => t.High.ShouldBeInRange(TimeSpan.FromMinutes(4), TimeSpan.FromMinutes(30))
        );

        var plan = Plan(With(Calendar($"DTSTART:19700105T200000Z\nDURATION:{length}\nRRULE:FREQ=DAILY")), survey);
        plan.Hazards.Select(h => (h.Code, h.Severity)).ShouldBe(code is null ? [] : [(code, severity)]);
        plan.Hours.Count.ShouldBe(3);
        if (code != "longer-than-hours")
            plan.Calendar.Sum(w => w.Takes.Likely.TotalMinutes)
                .ShouldBe(
                    (new DateTimeOffset(1970, 1, 5, 20, 0, 0, TimeSpan.Zero) - Now).TotalMinutes
                        + took.Likely.TotalMinutes,
                    0.01
                );
    }

    [Fact]
    public void Hours_that_are_over_block_everything() =>
        Plan(With(Calendar("DTSTART:19690101T000000Z\nDTEND:19690102T000000Z")), Survey([Small(), Data()], Holding()))
            .Hazards.Single()
            .ShouldSatisfyAllConditions(
                h => h.Code.ShouldBe("longer-than-hours"),
                h => h.Text.ShouldContain("No hours are allowed in the next 90 days")
            );

    private static Brief With(string calendar) =>
        BriefReader.Read(
            $"{BriefTests.Good.TrimEnd()}\nhours: |\n  {calendar.Trim().Replace("\n", "\n  ", StringComparison.Ordinal)}\n",
            TimeZoneInfo.Utc
        );
}
