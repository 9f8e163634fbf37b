using Furlough.Model;
using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Evaluation;

namespace Furlough.Planning.Briefs;

/// <summary>
/// The hours in which machines may be worked on: the events of an iCalendar file (RFC 5545), repeated ones with their
/// exceptions. Times without a zone are the service's own. Events that touch or overlap are one.
/// </summary>
public sealed class AllowedHours
{
    /// <summary>Largest calendar in characters.</summary>
    public const int LimitCharacters = 64 * 1024;

    /// <summary>How far ahead hours are looked for.</summary>
    public static readonly TimeSpan Horizon = TimeSpan.FromDays(90);

    private static readonly TimeSpan LongestEvent = TimeSpan.FromDays(60);
    private const int MostEvents = 5_000,
        MostTries = 10_000;

    /// <summary>
    /// Most single times that rules may yield from their beginning until <see cref="WorkedOutUntil"/>.
    /// </summary>
    private const double MostCost = 150_000;
    private const int EarliestYear = 1900;
    private static readonly DateTime WorkedOutUntil = new(2040, 1, 1, 0, 0, 0, DateTimeKind.Unspecified);

    private readonly Calendar _calendar;
    private readonly TimeZoneInfo _zone;

    private AllowedHours(Calendar calendar, TimeZoneInfo zone) => (_calendar, _zone) = (calendar, zone);

    /// <summary>Reads a calendar.</summary>
    /// <param name="zone">What times without a zone mean.</param>
    /// <exception cref="FormatException">It is none, has no events, or has events that cannot be worked out; says
    /// which.</exception>
    public static AllowedHours Read(string text, TimeZoneInfo zone)
    {
        if (text.Length > LimitCharacters)
            throw new FormatException($"The calendar has {text.Length} characters, more than {LimitCharacters}.");
        Calendar? calendar;
        try
        {
            calendar = Calendar.Load(text);
        }
        catch (Exception malformed) when (malformed is not OutOfMemoryException)
        {
            throw new FormatException($"This is not an iCalendar file: {malformed.Message.TrimEnd('.')}.");
        }
        if (calendar is null || calendar.Events.Count == 0)
            throw new FormatException("The calendar has no events.");
        var lines = text.Split('\n');
        if (lines.Any(l => l.StartsWith("EXRULE", StringComparison.OrdinalIgnoreCase)))
            throw new FormatException(
                "Rules of exceptions (EXRULE) are not used any more: name the dates that are left out (EXDATE)."
            );
        if (lines.Count(l => l.StartsWith("RRULE", StringComparison.OrdinalIgnoreCase)) > calendar.Events.Count)
            throw new FormatException("An event has more than one RRULE: make an event of each.");
        var cost = 0.0;
        foreach (var one in calendar.Events)
        {
            if (one.Start is null)
                throw new FormatException($"The event `{one.Summary}` has no start.");
            foreach (var at in (CalDateTime?[])[one.Start, one.End])
                if (at?.TzId is { } id && !TimeZoneInfo.TryFindSystemTimeZoneById(id, out _))
                    throw new FormatException($"The time zone `{id}` is not known.");
            if (one.Start.Value.Year < EarliestYear)
                throw new FormatException(
                    $"The event `{one.Summary}` begins in {one.Start.Value.Year}. Let it begin in {EarliestYear} or later."
                );
            cost +=
                1
                + (one.RecurrenceRule is { } rule ? Cost(rule, one.Start.Value) : 0)
                + one.RecurrenceDates.GetAllDates().Count();
            if (cost > MostCost)
                throw new FormatException(
                    $"The event `{one.Summary}` repeats too often to be worked out. Let it begin later, repeat it "
                        + "by the day, week, month or year, or leave out some of its `BY` rules."
                );
        }
        var hours = new AllowedHours(calendar, zone);
        hours.After(DateTimeOffset.UnixEpoch.AddYears(56));
        return hours;
    }

    /// <summary>
    /// About how many single times a rule yields. Estimated, never worked out: that is what would take long.
    /// </summary>
    private static double Cost(RecurrenceRule rule, DateTime start)
    {
        if (rule.Interval < 1)
            throw new FormatException("A rule has an INTERVAL below 1.");
        double? days = rule.Frequency switch
        {
            FrequencyType.Yearly => 365,
            FrequencyType.Monthly => 30,
            FrequencyType.Weekly => 7,
            FrequencyType.Daily => 1,
            FrequencyType.Hourly => 1 / 24.0,
            _ => null,
        };
        if (days is not { } period)
            throw new FormatException(
                "Allowed hours repeat by the hour, day, week, month or year, not by the minute or second."
            );
        var each = new[]
        {
            rule.ByMonth.Count,
            rule.ByWeekNo.Count,
            rule.ByYearDay.Count,
            rule.ByMonthDay.Count,
            rule.ByDay.Count
                * (
                    rule.Frequency is FrequencyType.Yearly ? 53
                    : rule.Frequency is FrequencyType.Monthly ? 5
                    : 1
                ),
            rule.ByHour.Count,
            rule.ByMinute.Count,
            rule.BySecond.Count,
        }.Aggregate(1.0, (all, count) => all * Math.Max(1, count));
        return Math.Max(1, (WorkedOutUntil - start).TotalDays / period / rule.Interval) * each;
    }

    /// <summary>
    /// The hours that are not over at a moment, in order, as far as <see cref="Horizon"/> reaches; the first may have
    /// begun already.
    /// </summary>
    /// <exception cref="FormatException">The calendar repeats something too often, or too long.</exception>
    public IReadOnlyList<OpenHours> After(DateTimeOffset moment)
    {
        List<OpenHours> found = [];
        var from = moment - LongestEvent;
        var count = 0;
        try
        {
            foreach (
                var occurrence in _calendar.GetOccurrences<CalendarEvent>(
                    new CalDateTime(from.UtcDateTime, "UTC"),
                    new EvaluationOptions { MaxUnmatchedIncrementsLimit = MostTries }
                )
            )
            {
                var begins = At(occurrence.Period.StartTime);
                if (begins > moment + Horizon)
                    break;
                if (++count > MostEvents)
                    throw new FormatException(
                        $"The calendar has more than {MostEvents} events in {(LongestEvent + Horizon).TotalDays:0} days."
                    );
                var ends = EndOf(occurrence, begins);
                if (ends > moment && ends > begins)
                    found.Add(new OpenHours(begins, ends));
            }
        }
        catch (EvaluationException endless)
        {
            throw new FormatException(
                $"The calendar repeats something that cannot be worked out: {endless.Message.TrimEnd('.')}."
            );
        }
        return Merged(found);
    }

    private DateTimeOffset EndOf(Occurrence occurrence, DateTimeOffset begins)
    {
        var ends = At(occurrence.Period.EffectiveEndTime ?? occurrence.Period.StartTime);
        if (ends - begins > LongestEvent)
            throw new FormatException($"An event of the calendar is longer than {LongestEvent.TotalDays:0} days.");
        return ends;
    }

    private static List<OpenHours> Merged(List<OpenHours> hours)
    {
        List<OpenHours> merged = [];
        foreach (var next in hours.OrderBy(h => h.From))
            if (merged is [.., var last] && next.From <= last.To)
                merged[^1] = last with { To = next.To > last.To ? next.To : last.To };
            else
                merged.Add(next);
        return merged;
    }

    private DateTimeOffset At(CalDateTime time)
    {
        if (!time.IsFloating)
            return new DateTimeOffset(DateTime.SpecifyKind(time.AsUtc, DateTimeKind.Utc));
        var local = DateTime.SpecifyKind(time.Value, DateTimeKind.Unspecified);
        return new DateTimeOffset(local, _zone.GetUtcOffset(local));
    }
}

/// <summary>Fits work into allowed hours.</summary>
/// <param name="open">The hours from a moment on, in order; null where all hours are allowed.</param>
public sealed class HoursOutlook(IReadOnlyList<OpenHours>? open)
{
    /// <summary>The longest of the hours to come; null where all are allowed.</summary>
    public TimeSpan? Longest { get; } = open?.Select(h => h.Length).DefaultIfEmpty().Max();

    /// <summary>
    /// When a sequence of work is done that is begun at a moment. A piece whose unbroken part fits nowhere is left out.
    /// </summary>
    /// <param name="work">What may rest between hours and go on in the next ones, and what follows it within one
    /// stretch of hours.</param>
    public DateTimeOffset Done(DateTimeOffset begun, IEnumerable<(TimeSpan Resting, TimeSpan Unbroken)> work)
    {
        var (at, next) = (begun, 0);
        foreach (var (resting, unbroken) in work)
        {
            if (open is null)
            {
                at += resting + unbroken;
                continue;
            }
            if (unbroken > Longest)
                continue;
            var left = resting;
            for (; next < open.Count; next++)
            {
                at = Later(at, open[next].From);
                var part = TimeSpan.FromTicks(Math.Clamp((open[next].To - at).Ticks, 0, left.Ticks));
                (at, left) = (at + part, left - part);
                if (left == TimeSpan.Zero && at + unbroken <= open[next].To)
                    break;
            }
            if (next == open.Count)
                break;
            at += unbroken;
        }
        return at;
    }

    private static DateTimeOffset Later(DateTimeOffset one, DateTimeOffset other) => one > other ? one : other;
}
