using System.Globalization;
using System.Text;
using Furlough.Planning.Briefs;
using Furlough.Planning.Kinds;
using Shouldly;
using Xunit;

namespace Furlough.Planning.Tests;

/// <summary>Texts that nobody wrote manually: each is refused with a line, and nothing of it is built.</summary>
public sealed class MonsterTests
{
    public static TheoryData<string, int> Nested =>
        new()
        {
            { "? ", 30_000 },
            { "- ", 120_000 },
            { "[", 100_000 },
            { "{", 100_000 },
            { "[{", 60_000 },
            { "{a: ", 50_000 },
            { "? - ", 40_000 },
            { "a: [", 40_000 },
            { "- ? ", 40_000 },
            { "!!seq [", 30_000 },
        };

    [Theory]
    [MemberData(nameof(Nested))]
    public void Endless_nesting_is_refused_in_a_brief_and_in_a_kind_card(string piece, int times)
    {
        var text = string.Concat(Enumerable.Repeat(piece, times));
        foreach (var monster in (string[])[text, "furlough-brief: 1\ntitle: x\nrelocate: " + text])
        {
            if (monster.Length > BriefReader.LimitCharacters)
                continue;
            Should.Throw<BriefException>(() => BriefReader.Read(monster)).Errors.ShouldNotBeEmpty();
            Should.Throw<KindCardException>(() => KindCardReader.Read(monster)).Errors.ShouldNotBeEmpty();
        }
    }

    [Fact]
    public void Deep_blocks_many_keys_and_long_words_are_refused_with_few_errors()
    {
        var deep = new StringBuilder();
        for (var i = 0; i < 200; i++)
            deep.Append(' ', i).Append(CultureInfo.InvariantCulture, $"k{i}:\n");
        var many = string.Concat(Enumerable.Range(0, 15_000).Select(i => $"key-{i}: x\n"));
        var words = string.Concat(Enumerable.Range(0, 20).Select(i => new string((char)('a' + i), 10_000) + ": x\n"));
        foreach (
            var monster in (string[])
                [
                    deep.ToString(),
                    many,
                    words,
                    new string('"', 200_000),
                    new string('\t', 200_000),
                    new string('|', 200_000),
                    new string('%', 200_000),
                    string.Concat(Enumerable.Repeat("a: b: ", 30_000)),
                    string.Concat(Enumerable.Repeat("--- \n", 40_000)),
                ]
        )
            Should.Throw<BriefException>(() => BriefReader.Read(monster)).Errors.Count.ShouldBeLessThanOrEqualTo(100);
    }

    /// <summary>What a generator has found: texts over which the reader of YAML itself stumbled.</summary>
    [Theory]
    [InlineData("relocate:\n  - {folders: [Documents], onto\U0001F600", "\U0001F600", 2_000, ": roomy}\n")]
    [InlineData("a", "\ud83d", 30, ": b\n")]
    [InlineData("a: |\n  ", "\0", 30, "\n")]
    [InlineData("a: &", "x", 30_000, " b\n")]
    [InlineData("a: *", "x", 30_000, "\n")]
    [InlineData("a: !!binary ", "%", 3_000, "\n")]
    [InlineData("%", "%", 3_000, "\n")]
    [InlineData("a: \"\\U", "f", 8, "\"\n")]
    [InlineData("a: \"\\x", "z", 2, "\"\n")]
    [InlineData("a: 0x", "f", 40, "\n")]
    [InlineData("a: !<", "%", 40, "> b\n")]
    public void What_the_reader_itself_stumbles_over_is_refused_with_a_line(
        string before,
        string piece,
        int times,
        string after
    )
    {
        var text = before + string.Concat(Enumerable.Repeat(piece, times)) + after;
        foreach (var monster in (string[])[text, "furlough-brief: 1\ntitle: x\n" + text])
        {
            Should.Throw<BriefException>(() => BriefReader.Read(monster)).Errors.ShouldNotBeEmpty();
            Should.Throw<KindCardException>(() => KindCardReader.Read(monster)).Errors.ShouldNotBeEmpty();
        }
    }

    [Theory]
    [InlineData("FREQ=SECONDLY", "19700101T000000")]
    [InlineData("FREQ=MINUTELY", "19700101T000000")]
    [InlineData("FREQ=HOURLY", "19000101T000000")]
    [InlineData(
        "FREQ=DAILY;BYHOUR=0,1,2,3,4,5,6,7,8,9,10,11,12;BYMINUTE=0,1,2,3,4,5,6,7,8,9;BYSECOND=0,1,2,3,4,5,6,7,8,9",
        "19700101T000000"
    )]
    [InlineData(
        "FREQ=YEARLY;BYMONTH=1,2,3,4,5,6,7,8,9,10,11,12;"
            + "BYMONTHDAY=1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20,21,22,23,24,25,26,27,28;"
            + "BYHOUR=1,2,3,4,5,6,7,8,9,10;BYMINUTE=1,2,3,4,5;BYSETPOS=-1",
        "00010101T000000"
    )]
    [InlineData("FREQ=DAILY;INTERVAL=0", "20200101T000000")]
    [InlineData("FREQ=DAILY;COUNT=2147483647", "00010101T000000")]
    public void Hours_that_take_long_to_work_out_are_refused_before_they_are(string rule, string start)
    {
        var text =
            $"BEGIN:VCALENDAR\nVERSION:2.0\nBEGIN:VEVENT\nUID:1\nDTSTART:{start}\nDURATION:PT1H\nRRULE:{rule}\nEND:VEVENT\nEND:VCALENDAR\n";
        Should.Throw<FormatException>(() => AllowedHours.Read(text, TimeZoneInfo.Utc)).Message.ShouldNotBeNullOrEmpty();
    }

    [Fact]
    public void Ordinary_hours_are_worked_out_at_any_moment_after_they_were_accepted()
    {
        foreach (
            var rule in (string[])
                [
                    "FREQ=DAILY",
                    "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR;BYHOUR=18,19,20",
                    "FREQ=MONTHLY;BYDAY=1SA;BYSETPOS=1",
                    "FREQ=HOURLY;INTERVAL=6",
                    "FREQ=YEARLY;BYMONTH=7,8;BYDAY=SU",
                ]
        )
        {
            var hours = AllowedHours.Read(
                "BEGIN:VCALENDAR\nVERSION:2.0\nBEGIN:VEVENT\nUID:1\nDTSTART:20240101T180000\nDURATION:PT1H\n"
                    + $"RRULE:{rule}\nEND:VEVENT\nEND:VCALENDAR\n",
                TimeZoneInfo.Utc
            );
            foreach (var year in (int[])[2024, 2026, 2033])
                hours
                    .After(new DateTimeOffset(year, 6, 1, 0, 0, 0, TimeSpan.Zero))
                    .ShouldNotBeEmpty($"{rule} in {year}");
        }
    }
}
