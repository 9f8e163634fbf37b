using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Allowed hours, and relocations that someone at the machine begins.</summary>
public sealed class HoursTests : RealDesk
{
    [Fact]
    public void A_run_rests_outside_its_hours_and_goes_on_by_itself_when_they_begin()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 50);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        Enrol();
        var opens = TimeProvider.System.GetUtcNow().UtcDateTime.AddSeconds(25);
        File.WriteAllText(
            $"{Field.Folder}/soon.ics",
            "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\nBEGIN:VEVENT\r\nUID:1@test\r\n"
                + $"DTSTAMP:20260101T000000Z\r\nDTSTART:{opens:yyyyMMddTHHmmssZ}\r\nDURATION:PT1H\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        );
        var run = StartRun(Brief + "\nhours: soon.ics\n");
        Field.WaitFor(() => Relocation("Documents").GetProperty("state").GetString() == "waiting", "the rest");
        Field
            .Run("run", "show", run)
            .ShouldSatisfyAllConditions(
                o => o.Out.ShouldContain($"Outside its allowed hours; the next ones are {opens:yyyy-MM-dd HH:mm:ss}Z"),
                o => o.Out.ShouldContain("waiting, outside-hours: 2 relocations on map-01")
            );
        Field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => TimeProvider.System.GetUtcNow().UtcDateTime.ShouldBeGreaterThan(opens)
            );
        XdgUserDir("DOCUMENTS").ShouldEndWith("/data/People/asa.lind/Documents");
    }

    [Fact]
    public void An_attended_relocation_is_begun_by_hand()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 50);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        Enrol();
        var run = StartRun(Brief.Replace("method: warm", "attended: true", StringComparison.Ordinal));
        Field.WaitFor(
            () =>
                Relocation("Documents").GetProperty("state").GetString() == "switched"
                && Relocation("Pictures").GetProperty("state").GetString() == "waiting",
            "the others"
        );
        var number = Relocation("Pictures").GetProperty("number").ToString();
        Field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(4, o.ToString()),
                o => o.Out.ShouldContain($"furlough relocation begin {number}")
            );
        Field
            .Run("relocation", "begin", Relocation("Documents").GetProperty("number").ToString())
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("needs nobody at its machine")
            );

        Field
            .Run("relocation", "begin", number)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("may begin now")
            );
        Field
            .Run("relocation", "begin", number)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("was begun by"));
        Field.WaitFor(() => Relocation("Pictures").GetProperty("state").GetString() == "switched", "the switch");
        Field.Run("machine", "list", "--json").Json[0].GetProperty("standing").GetString().ShouldBe("settled");
    }
}
