using System.Diagnostics;
using System.Text.Json;
using Furlough.Platform.Tests;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>A service, and one real Linux desk with a second volume whose agent is enrolled there as map-01.</summary>
public abstract class RealDesk : IDisposable
{
    protected const string Brief = """
        furlough-brief: 1
        title: One desk
        machines: {names: [map-01]}
        volumes: {roomy: {system: false}}
        relocate:
          - folders: [Documents]
            onto: roomy
            path: People/{account}/{folder}
          - folders: [Pictures]
            onto: roomy
            path: People/{account}/{folder}
            method: warm
        """;

    protected RealDesk(int megabytes = 1_200, bool whole = false, string? systemVolume = null, bool tls = false)
    {
        Tree = new LinuxTree("ext4", megabytes, whole, systemVolume);
        Tree.Setting("# mine\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n");
        Field.StartService(tls);
    }

    protected LinuxTree Tree { get; }

    protected Field Field { get; } = new();

    public void Dispose()
    {
        Field.Dispose();
        Tree.Dispose();
        GC.SuppressFinalize(this);
    }

    /// <summary>What a test has put into the home as root is the account's: nothing else is relocated.</summary>
    private void GiveHome() => LinuxTree.Sh($"chown -R -h --from=0:0 --reference={Tree.Home} {Tree.Home}");

    protected Process Enrol(params string[] more)
    {
        GiveHome();
        var agent = Field.StartAgent(Tree.Root, "map-01", Field.Invite(), more: more);
        Field.WaitForSurveys();
        return agent;
    }

    protected string StartRun(string brief = Brief)
    {
        GiveHome();
        var plan = Field.Run("plan", "make", Field.WriteBrief(brief), "--json");
        plan.Code.ShouldBe(0, plan.ToString());
        var run = Field.Run("run", "start", "--plan", $"{plan.Json.GetProperty("number")}", "--json");
        run.Code.ShouldBe(0, run.ToString());
        return run.Json.GetProperty("number").ToString();
    }

    protected Outcome StartAgentAndRun()
    {
        Enrol();
        return Field.Run("run", "follow", StartRun());
    }

    protected JsonElement Relocation(string holding) =>
        Field.Ask("relocations").EnumerateArray().Single(r => r.GetProperty("holding").GetString() == holding);

    /// <summary>The identifier of the one original that a holding keeps.</summary>
    protected string Original(string holding) =>
        Field
            .Ask("originals")
            .EnumerateArray()
            .Single(o => o.GetProperty("holding").GetString() == holding)
            .GetProperty("id")
            .GetString()!;

    protected string XdgUserDir(string word) =>
        LinuxTree
            .Sh(
                $"setpriv --reuid=1701 --regid=1701 --clear-groups env -i HOME={Tree.Home} PATH=/usr/bin:/bin xdg-user-dir {word}"
            )
            .Trim();

    /// <summary>
    /// Where the setting leads now; where it leads to nothing (an agent died in the middle), the one complete place
    /// there is is not live for anybody.
    /// </summary>
    protected string LivePlace(string key, string folder)
    {
        var line = File.ReadAllLines(Tree.UserDirs).Single(l => l.StartsWith(key, StringComparison.Ordinal));
        return line.Contains("$HOME", StringComparison.Ordinal)
            ? $"{Tree.Home}/{folder}"
            : $"{Tree.Root}/data/People/asa.lind/{folder}";
    }

    protected void EveryBulletinOnce()
    {
        Field.WaitFor(
            () =>
                Numbers($"{Field.Folder}/service/furlough.db", "SELECT Number FROM Bulletins ORDER BY Number").Count
                == Numbers($"{Field.Folder}/map-01/agent.db", "SELECT number FROM bulletin ORDER BY number").Count,
            "all bulletins"
        );
        var stored = Numbers($"{Field.Folder}/service/furlough.db", "SELECT Number FROM Bulletins ORDER BY Number");
        stored.ShouldBe(Enumerable.Range(1, stored.Count).Select(n => (long)n));
        stored.Count.ShouldBeGreaterThan(10);
    }

    protected void ExpireInvites()
    {
        using var connection = new SqliteConnection($"Data Source={Field.Folder}/service/furlough.db");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = "UPDATE Invites SET Expires = 1";
        command.ExecuteNonQuery();
    }

    protected static List<long> Numbers(string file, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={file};Mode=ReadOnly");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        using var reader = command.ExecuteReader();
        List<long> numbers = [];
        while (reader.Read())
            numbers.Add(reader.GetInt64(0));
        return numbers;
    }
}
