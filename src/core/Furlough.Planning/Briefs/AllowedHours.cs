using Furlough.Model;
using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Evaluation;

namespace Furlough.Planning.Briefs;

/// <summary>
/// The hours in which machines may be worked on: the events of an iCalendar file (RFC 5545), repeated ones with their exceptions. Times without
/// a zone are the service's own. Events that touch or overlap are one.
/// </summary>
public sealed class AllowedHours
{
    /// <summary>Largest calendar in characters.</summary>
    public const int LimitCharacters = 64 * 1024;

    /// <summary>How far ahead hours are looked for.</summary>
    public static readonly TimeSpan Horizon = TimeSpan.FromDays(90);

    private static readonly TimeSpan LongestEvent = TimeSpan.FromDays(60);
    private const int MostEvents = 5_000, MostTries = 10_000;

    private readonly Calendar _calendar;
    private readonly TimeZoneInfo _zone;

    private AllowedHours(Calendar calendar, TimeZoneInfo zone) => (_calendar, _zone) = (calendar, zone);

    /// <summary>Reads a calendar.</summary>
    /// <param name="zone">What times without a zone mean.</param>
    /// <exception cref="FormatException">It is none, has no events, or has events that cannot be worked out; says which.</exception>
    public static AllowedHours Read(string text, TimeZoneInfo zone)
    {
        if (text.Length > LimitCharacters) throw new FormatException($"The calendar has {text.Length} characters, more than {LimitCharacters}.");
        Calendar? calendar;
        try { calendar = Calendar.Load(text); }
        catch (Exception malformed) when (malformed is not OutOfMemoryException) { throw new FormatException($"This is no iCalendar file: {malformed.Message.TrimEnd('.')}."); }
        if (calendar is null || calendar.Events.Count == 0) throw new FormatException("The calendar has no events.");
        foreach (var one in calendar.Events)
        {
            if (one.Start is null) throw new FormatException($"The event `{one.Summary}` has no start.");
            foreach (var at in (CalDateTime?[])[one.Start, one.End])
                if (at?.TzId is { } id && !TimeZoneInfo.TryFindSystemTimeZoneById(id, out _)) throw new FormatException($"The time zone `{id}` is not known.");
        }
        var hours = new AllowedHours(calendar, zone);
        hours.After(DateTimeOffset.UnixEpoch.AddYears(56));
        return hours;
    }

    /// <summary>The hours that are not over at a moment, in sequence, as far as <see cref="Horizon"/> reaches; the first may have begun already.</summary>
    /// <exception cref="FormatException">The calendar repeats something too often, or too long.</exception>
    public IReadOnlyList<OpenHours> After(DateTimeOffset moment)
    {
        List<OpenHours> found = [];
        var from = moment - LongestEvent;
        var count = 0;
        try
        {
            foreach (var occurrence in _calendar.GetOccurrences<CalendarEvent>(new CalDateTime(from.UtcDateTime, "UTC"), new EvaluationOptions { MaxUnmatchedIncrementsLimit = MostTries }))
            {
                var begins = At(occurrence.Period.StartTime);
                if (begins > moment + Horizon) break;
                if (++count > MostEvents) throw new FormatException($"The calendar has more than {MostEvents} events in {(LongestEvent + Horizon).TotalDays:0} days.");
                var ends = At(occurrence.Period.EffectiveEndTime ?? occurrence.Period.StartTime);
                if (ends - begins > LongestEvent) throw new FormatException($"An event of the calendar is longer than {LongestEvent.TotalDays:0} days.");
                if (ends > moment && ends > begins) found.Add(new OpenHours(begins, ends));
            }
        }
        catch (EvaluationException endless) { throw new FormatException($"The calendar repeats something that cannot be worked out: {endless.Message.TrimEnd('.')}."); }
        return Merged(found);
    }

    private static List<OpenHours> Merged(List<OpenHours> hours)
    {
        List<OpenHours> merged = [];
        foreach (var next in hours.OrderBy(h => h.From))
            if (merged is [.., var last] && next.From <= last.To) merged[^1] = last with { To = next.To > last.To ? next.To : last.To };
            else merged.Add(next);
        return merged;
    }

    private DateTimeOffset At(CalDateTime time)
    {
        if (!time.IsFloating) return new DateTimeOffset(DateTime.SpecifyKind(time.AsUtc, DateTimeKind.Utc));
        var local = DateTime.SpecifyKind(time.Value, DateTimeKind.Unspecified);
        return new DateTimeOffset(local, _zone.GetUtcOffset(local));
    }
}

/// <summary>Fits work into allowed hours.</summary>
/// <param name="open">The hours from a moment on, in sequence; null where all hours are allowed.</param>
public sealed class HoursOutlook(IReadOnlyList<OpenHours>? open)
{
    /// <summary>The longest of the hours to come; null where all are allowed.</summary>
    public TimeSpan? Longest { get; } = open?.Select(h => h.Length).DefaultIfEmpty().Max();

    /// <summary>When a sequence of work is done that is begun at a moment. A piece whose unbroken part fits nowhere is left out.</summary>
    /// <param name="work">What may rest between hours and go on in the next ones, and what follows it within one stretch of hours.</param>
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
            if (unbroken > Longest) continue;
            var left = resting;
            for (; next < open.Count; next++)
            {
                at = Later(at, open[next].From);
                var part = TimeSpan.FromTicks(Math.Clamp((open[next].To - at).Ticks, 0, left.Ticks));
                (at, left) = (at + part, left - part);
                if (left == TimeSpan.Zero && at + unbroken <= open[next].To) break;
            }
            if (next == open.Count) break;
            at += unbroken;
        }
        return at;
    }

    private static DateTimeOffset Later(DateTimeOffset one, DateTimeOffset other) => one > other ? one : other;
}
