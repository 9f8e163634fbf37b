using Furlough.Model;
using Furlough.Planning.DeskNotices;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

/// <summary>What the people at the desks are shown.</summary>
public sealed class DeskNoticeTests
{
    private static readonly DateTimeOffset Begins = new(2026, 11, 27, 18, 0, 0, TimeSpan.Zero);

    private static string Text(string language, params OpenHours[] hours)
    {
        var plan = Plan(
            Brief(),
            Survey(
                [Small(), Data()],
                Holding() with
                {
                    Program = new OwnProgram(["sketcher", "recorder"], []),
                },
                Holding("Documents", GB)
            )
        );
        return DeskNotice
            .Of(plan.Relocations, plan.Calendar, hours, Begins, TimeZoneInfo.Utc, DeskLanguage.Find(language)!)
            .ShouldHaveSingleItem()
            .Text;
    }

    [Fact]
    public void It_says_what_happens_when_for_how_long_and_what_to_close() =>
        Text("en")
            .ShouldMatch(
                @"^Your Documents and Pictures on herb-01 \(11\.0 GB\) will be moved to a roomier disk\. "
                    + @"This begins on Friday 27 November 18:00 or soon after\. "
                    + @"You cannot sign in for about \d+ min, at most \d+ min\. Before it begins, please save your work, "
                    + @"close your programs \(above all sketcher and recorder\) and sign out\. Afterwards"
            );

    [Fact]
    public void It_says_so_in_other_languages_and_within_allowed_hours() =>
        Text("de", new OpenHours(Begins.AddHours(4), Begins.AddHours(8)))
            .ShouldMatch(
                @"^Ihre Ordner Documents und Pictures auf herb-01 \(11,0 GB\) ziehen .* um\. "
                    + @"Das geschieht zwischen Freitag 27 November 22:00 und Samstag 28 November 02:00 oder .* "
                    + @"Sie können sich etwa \d+ min, höchstens \d+ min lang nicht anmelden\."
            );

    [Fact]
    public void What_is_blocked_and_what_all_share_is_told_nobody()
    {
        var plan = Plan(Brief(), Survey([Small()], Holding()));
        DeskNotice
            .Of(plan.Relocations, plan.Calendar, [], Begins, TimeZoneInfo.Utc, DeskLanguage.All[0])
            .ShouldBeEmpty();
    }
}
