using System.Globalization;
using Furlough.Model;

namespace Furlough.Planning.DeskNotices;

/// <summary>
/// What the person at a desk should know before a plan is carried out there: what happens, when, for how long, and what
/// to do.
/// </summary>
public sealed record DeskNotice(string Machine, string Room, string Account, string Text)
{
    /// <summary>The notices of a plan, one for every account of every machine.</summary>
    /// <param name="begins">When the run is begun; waves follow as the plan's calendar says.</param>
    public static IReadOnlyList<DeskNotice> Of(
        IReadOnlyList<PlannedRelocation> relocations,
        IReadOnlyList<WaveForecast> calendar,
        IReadOnlyList<OpenHours> hours,
        DateTimeOffset begins,
        TimeZoneInfo zone,
        DeskLanguage language
    )
    {
        var waves = calendar.ToDictionary(w => w.Wave, w => w.Begins);
        return
        [
            .. relocations
                .Where(r => r.Blocked.Count == 0 && !r.Holding.IsShared)
                .GroupBy(r => (r.MachineName, r.Room, r.Holding.Account))
                .OrderBy(g => g.Key.MachineName, StringComparer.Ordinal)
                .ThenBy(g => g.Key.Account, StringComparer.Ordinal)
                .Select(g => new DeskNotice(
                    g.Key.MachineName,
                    g.Key.Room,
                    g.Key.Account,
                    Write([.. g], begins + waves.GetValueOrDefault(g.First().Wave), hours, zone, language)
                )),
        ];
    }

    /// <summary>
    /// What the account's person is shown at the machine shortly before, for all these relocations of one account.
    /// </summary>
    /// <param name="back">The relocations are returned.</param>
    public static ToldText AtTheMachine(IReadOnlyList<PlannedRelocation> own, Telling telling, bool back = false)
    {
        var language = DeskLanguage.Find(telling.Language)!;
        var before = Length(telling.Before, language);
        return new ToldText(
            language.Title,
            Write(own, back ? language.MovesBack : language.Moves, Say(language.BeginsIn, before), language),
            Say(language.PutOff, before)
        );
    }

    private static string Write(
        IReadOnlyList<PlannedRelocation> own,
        DateTimeOffset begins,
        IReadOnlyList<OpenHours> hours,
        TimeZoneInfo zone,
        DeskLanguage language
    )
    {
        string At(DateTimeOffset time) =>
            TimeZoneInfo.ConvertTime(time, zone) is var local
                ? $"{language.WeekDays[(int)local.DayOfWeek]} {local.Day} {language.Months[local.Month - 1]} {local:HH:mm}"
                : "";

        var open = hours.FirstOrDefault(h => h.To > begins);
        return Write(
            own,
            language.Moves,
            open is null
                ? Say(language.Begins, At(begins))
                : Say(language.InHours, At(open.From > begins ? open.From : begins), At(open.To)),
            language
        );
    }

    private static string Write(
        IReadOnlyList<PlannedRelocation> own,
        string moves,
        string begins,
        DeskLanguage language
    )
    {
        var outage = Span.Sum(own.Where(r => r.Method.MovesData()).Select(r => r.Forecast?.Outage ?? Span.None));
        var programs = own.SelectMany(r => r.Program?.Closed ?? []).Distinct(StringComparer.Ordinal).ToList();
        return string.Join(
            ' ',
            (string[])
                [
                    Say(
                        moves,
                        Listed([.. own.Select(r => r.Holding.Name).Distinct(StringComparer.Ordinal)], language.And),
                        own[0].MachineName,
                        Words.Size(own.Sum(r => r.DataBytes)).Replace('.', language.Point)
                    ),
                    begins,
                    outage == Span.None
                        ? language.NotKeptOut
                        : Say(
                            own.All(r => r.Method == Method.Warm) ? language.WorkMeanwhile : language.KeptOut,
                            Length(outage.Likely, language),
                            Length(outage.High, language)
                        ),
                    programs.Count == 0 ? language.Close : Say(language.ClosePrograms, Listed(programs, language.And)),
                    language.Afterwards,
                ]
        );
    }

    private static string Say(string sentence, params object[] with) =>
        string.Format(CultureInfo.InvariantCulture, sentence, with);

    private static string Length(TimeSpan time, DeskLanguage language) =>
        Words.Length(time).Replace("days", language.Days, StringComparison.Ordinal);

    private static string Listed(IReadOnlyList<string> names, string and) =>
        names.Count < 2 ? string.Concat(names) : $"{string.Join(", ", names.SkipLast(1))} {and} {names[^1]}";
}
