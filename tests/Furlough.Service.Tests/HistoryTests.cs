using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;
using Microsoft.Extensions.DependencyInjection;
using Shouldly;
using Xunit;

namespace Furlough.Service.Tests;

public sealed class HistoryTests
{
    [Fact]
    public async Task Entries_are_found_by_thing_by_event_by_person_and_by_word()
    {
        await using var office = await Office.OpenAsync();
        var desk = await office.DeskAsync("map-01");
        for (var run = 1; run <= 11; run++)
        {
            (await office.StartAsync(Office.Brief(), run == 2 ? "kit.sorrel" : "mara.ostby")).Number.ShouldBe(run);
            foreach (var docket in await desk.FetchAsync())
                await desk.FailAsync(docket);
        }
        (await office.HistoryAsync("run 1")).ShouldAllBe(h => h.Subject.Number == 1);
        (await office.HistoryAsync("Run ended")).Count.ShouldBe(11);
        (await office.HistoryAsync("sorrel")).ShouldAllBe(h => h.By == "kit.sorrel");
        (await office.HistoryAsync("Pictures of asa")).Count.ShouldBe(11);
        (await office.HistoryAsync("map-01")).ShouldContain(h => h.Event == HistoryEvent.Enrolled);
        (await office.HistoryAsync("100%")).ShouldBeEmpty();
        (await office.HistoryAsync("_")).ShouldBeEmpty();
    }

    /// <summary>What the version before has written, in its words.</summary>
    [Fact]
    public async Task The_history_of_a_former_version_becomes_events_and_no_word_of_it_is_lost()
    {
        var data = Directory.CreateTempSubdirectory("furlough-former-").FullName;
        await using (
            var db = new FurloughDb(
                new DbContextOptionsBuilder<FurloughDb>()
                    .UseSqlite($"Data Source={Path.Combine(data, "furlough.db")}")
                    .Options
            )
        )
            await db.GetInfrastructure().GetRequiredService<IMigrator>().MigrateAsync("SurveyRequests", Office.Stop);
        (string By, string Action, string Subject, string? From, string? To)[] former =
        [
            ("mara.ostby", "run halted", "run 12", null, "3 failures"),
            ("furlough", "wave begun", "run 12", null, "everybody"),
            ("herb-01", "relocation", "78 Documents of asa.lind", "queued", "under-way"),
            ("mara.ostby", "skip", "relocation 78", "failed", "skipped"),
            ("mara.ostby", "errand", "errand 3", "open", "claimed: room desk"),
            ("mara.ostby", "errand", "errand 3", "claimed", "declined: two plots are missing: 4 and 5"),
            ("herb-01", "errand", "errand 4", "open", "finished"),
            ("furlough", "audit made", "audit 2", null, "0 findings"),
            ("herb-01", "account kept out", "asa.lind", null, null),
            ("mara.ostby", "role", "herb-01", null, "imaging"),
            ("furlough", "drill failed", "cabin-1", "/data", "it hung at the logo"),
            ("mara.ostby", "reserve", "all machines", "none", "system 20%, others 10%"),
            ("mara.ostby", "reserve", "run 5", "none", "system 20%, others 10%"),
            ("mara.ostby", "invite made", "any room", null, "24 machines"),
            ("steward", "token made", "run 7", null, "reader"),
            ("furlough", "moon landed", "the moon", null, "softly"),
        ];
        using (var connection = new SqliteConnection($"Data Source={Path.Combine(data, "furlough.db")}"))
        {
            connection.Open();
            foreach (var (by, action, subject, from, to) in former)
            {
                using var insert = new SqliteCommand(
                    "INSERT INTO History (At, By, Action, Subject, \"From\", \"To\") VALUES (639000000000000000, "
                        + "$by, $action, $subject, $from, $to)",
                    connection
                );
                insert.Parameters.AddWithValue("$by", by);
                insert.Parameters.AddWithValue("$action", action);
                insert.Parameters.AddWithValue("$subject", subject);
                insert.Parameters.AddWithValue("$from", (object?)from ?? DBNull.Value);
                insert.Parameters.AddWithValue("$to", (object?)to ?? DBNull.Value);
                insert.ExecuteNonQuery();
            }
        }
        await using var office = await Office.OpenAsync(data);
        (await office.HistoryAsync())
            .Take(former.Length)
            .Select(h => (h.By, h.Event, h.Subject.InWords(), h.From, h.To, h.Detail))
            .ShouldBe([
                ("mara.ostby", HistoryEvent.RunHalted, "run 12", null, null, "3 failures"),
                ("furlough", HistoryEvent.WaveBegun, "run 12", null, null, "everybody"),
                ("herb-01", HistoryEvent.StateChanged, "relocation 78", "queued", "under-way", "Documents of asa.lind"),
                ("mara.ostby", HistoryEvent.Skip, "relocation 78", "failed", "skipped", null),
                ("mara.ostby", HistoryEvent.ErrandClaimed, "errand 3", "open", "claimed", "room desk"),
                (
                    "mara.ostby",
                    HistoryEvent.ErrandDeclined,
                    "errand 3",
                    "claimed",
                    "declined",
                    "two plots are missing: 4 and 5"
                ),
                ("herb-01", HistoryEvent.ErrandFinished, "errand 4", "open", "finished", null),
                ("furlough", HistoryEvent.AuditMade, "audit 2", null, null, "0 findings"),
                ("herb-01", HistoryEvent.AccountLockedOut, "asa.lind", null, null, null),
                ("mara.ostby", HistoryEvent.MachineTagged, "herb-01", null, "imaging", null),
                ("furlough", HistoryEvent.DrillFailed, "cabin-1", null, null, "/data: it hung at the logo"),
                ("mara.ostby", HistoryEvent.ReserveSet, "all machines", "none", "system 20%, others 10%", null),
                ("mara.ostby", HistoryEvent.ReserveSet, "room run 5", "none", "system 20%, others 10%", null),
                ("mara.ostby", HistoryEvent.InviteMade, "invite", null, null, "24 machines"),
                ("steward", HistoryEvent.TokenMade, "token run 7", null, null, "reader"),
                ("furlough", HistoryEvent.Noted, "the moon", null, "softly", "moon landed"),
            ]);
    }
}
