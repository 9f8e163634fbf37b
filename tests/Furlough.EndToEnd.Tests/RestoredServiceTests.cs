using Furlough.Platform.Tests;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A service restored from its backup while the former one is still there.</summary>
public sealed class RestoredServiceTests : RealDesk
{
    private const string Folders = """
        furlough-brief: 1
        title: Folders
        machines: all
        volumes: {roomy: {system: false}}
        relocate: [{folders: [Documents], onto: roomy, path: "People/{account}/{folder}"}]
        keep-original: 0 days
        """;

    private static string Of(string folder) => Folders.Replace("Documents", folder, StringComparison.Ordinal);

    [Fact]
    public void Machines_follow_the_restored_one_and_nothing_is_ordered_twice_nor_by_the_former_one()
    {
        Tree.Setting(
            "XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\nXDG_MUSIC_DIR=\"$HOME/Music\"\n"
        );
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 600);
        Tree.FillHard($"{Tree.Home}/Music", 30);
        using var relay = new Relay(Field.Address);
        Field.AgentAddress = relay.Address;
        var agent = Enrol();
        Done(Field, StartRun(Of("Documents")));

        // Under load: a relocation is under way.
        var run = StartRun(Of("Pictures"));
        Field.WaitFor(() => State(Field, "Pictures") != "queued", "the relocation's beginning");
        var (data, file) = ($"{Field.Folder}/service", $"{Field.Folder}/noon.backup");
        Field
            .Run("service", "backup", file, "--data", data)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("1 machine,"));

        // What the backup does not know: that it was switched, and an original that was discarded.
        Done(Field, run);
        Field
            .Run("original", "discard", Original("Documents"), "--yes")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.WaitFor(() => Originals(Field) is ["Pictures"], "the discard");

        using var restored = new Field();
        restored
            .RunAs("none", "service", "restore", file, "--data", $"{restored.Folder}/service")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        restored.StartService();
        Originals(restored).ShouldContain("Documents");
        relay.LeadTo(restored.Address);
        Field.WaitFor(
            () => State(restored, "Pictures") == "switched" && Originals(restored) is ["Pictures"],
            "what the machine did"
        );
        restored.Run("run", "list").Out.ShouldNotContain("Taken over");

        // The former one is still alive, and its address is used again.
        relay.LeadTo(Field.Address);
        Field.WaitForLog(agent, "service-replaced");
        Field.WaitFor(
            () => Field.Ask("status").GetProperty("replacedBy").ValueKind != System.Text.Json.JsonValueKind.Null,
            "that the former service learns of it"
        );
        Field.Run("service", "status").Out.ShouldContain("map-01 follows a service that was restored");
        Field.Run("history", "list").Out.ShouldContain("service replaced");
        Field
            .Run("plan", "make", Field.WriteBrief(Of("Music")))
            .ShouldSatisfyAllConditions(o => o.Code.ShouldNotBe(0), o => o.Error.ShouldContain("was replaced"));

        relay.LeadTo(restored.Address);
        var plan = restored.Run("plan", "make", restored.WriteBrief(Of("Music")), "--json").Json;
        var started = restored.Run("run", "start", "--plan", $"{plan.GetProperty("number")}", "--json").Json;
        Done(restored, $"{started.GetProperty("number")}");
        Works().ShouldBe(["discard", "relocate", "relocate", "relocate"]);
    }

    private static void Done(Field field, string run) =>
        field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("1 switched"));

    private static string? State(Field field, string holding) =>
        field
            .Ask("relocations")
            .EnumerateArray()
            .Where(r => r.GetProperty("holding").GetString() == holding)
            .Select(r => r.GetProperty("state").GetString())
            .SingleOrDefault();

    private static List<string?> Originals(Field field) =>
        [.. field.Ask("originals").EnumerateArray().Select(o => o.GetProperty("holding").GetString())];

    /// <summary>What the machine was ordered to do, by whichever service.</summary>
    private List<string> Works()
    {
        using var journal = new SqliteConnection($"Data Source={Field.Folder}/map-01/agent.db;Mode=ReadOnly");
        journal.Open();
        using var command = journal.CreateCommand();
        command.CommandText = "SELECT json_extract(body,'$.work') FROM docket ORDER BY 1";
        using var rows = command.ExecuteReader();
        List<string> works = [];
        while (rows.Read())
            works.Add(rows.GetString(0));
        return works;
    }
}
