using System.Diagnostics;
using System.Text.Json;
using Furlough.Platform.Tests;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class RealMachineTests : IDisposable
{
    private const string Brief = """
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

    private readonly LinuxTree _tree = new("ext4", 1_200);
    private readonly Field _field = new();

    public RealMachineTests()
    {
        _tree.Setting("# mine\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n");
        _field.StartService();
    }

    public void Dispose()
    {
        _field.Dispose();
        _tree.Dispose();
    }

    [Fact]
    public void A_technician_relocates_audits_and_returns_real_folders()
    {
        _tree.FillHard($"{_tree.Home}/Documents", 20_000);
        _tree.FillHard($"{_tree.Home}/Pictures", 50);
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        StartAgentAndRun().ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe("/data/People/asa.lind/Documents");

        var documents = Relocation("Documents");
        documents.GetProperty("state").GetString().ShouldBe("switched");
        documents.GetProperty("live").GetString().ShouldBe("target");
        documents.GetProperty("machine").GetString().ShouldBe("map-01");
        documents.GetProperty("source").GetString().ShouldBe("/home/asa.lind/Documents");
        documents.GetProperty("failure").ValueKind.ShouldBe(JsonValueKind.Null);
        documents.GetProperty("notes").EnumerateArray().Select(n => n.GetString()).ShouldContain(n => n!.Contains("named pipe"));
        _field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        _field.RunAgent("status", "--data", $"{_field.Folder}/map-01").Out.ShouldContain("Documents of asa.lind  switched");

        var number = documents.GetProperty("number").GetInt64();
        _field.Run("relocation", "return", $"{number}", "--follow").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe($"{_tree.Home}/Documents");
        File.ReadAllText(_tree.UserDirs).ShouldBe("# mine\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"/data/People/asa.lind/Pictures\"\n");

        _field.Run("original", "discard", $"{Relocation("Pictures").GetProperty("number")}", "--follow").Out.ShouldContain("finished");
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n");
        var finding = _field.Run("audit", "make", "--json").Json.GetProperty("findings")[0];
        finding.GetProperty("code").GetString().ShouldBe("pointer-not-as-planned");
        finding.GetProperty("remedy").GetString().ShouldNotBeNullOrEmpty();
    }

    [Fact]
    public void An_agent_killed_at_ten_random_moments_always_ends_complete_I2_I5()
    {
        _tree.FillHard($"{_tree.Home}/Documents", 1_500);
        _tree.FillHard($"{_tree.Home}/Pictures", 1_500);
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        var agent = Enrol();
        var number = StartRun();
        var random = new Random(4);
        for (var kills = 0; kills < 10; kills++)
        {
            CancellationToken.None.WaitHandle.WaitOne(random.Next(400, 1_400));
            Field.Kill(agent);
            LinuxTree.Difference(before, LinuxTree.Describe(LivePlace("XDG_DOCUMENTS_DIR", "Documents"))).ShouldBeEmpty($"after kill {kills}");
            agent = _field.StartAgent(_tree.Root, "map-01");
        }
        _field.Run("run", "follow", number).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        EveryBulletinOnce();
    }

    [Theory]
    [InlineData("renameat2", new[] { 4, 7, 8, 16, 17 })] // 7 and 17 write the pointers of the two folders
    [InlineData("fsync", new[] { 11, 37 })]
    public void An_agent_killed_at_a_rename_or_flush_leaves_the_live_place_complete_and_finishes_I2_I4(string call, int[] moments) =>
        KilledAt(call, moments).ShouldBe(moments.Length);

    /// <summary>Every pointer write, every rename into place and every journalled step lies at or between these calls.</summary>
    [Theory]
    [Trait("Category", "long")]
    [InlineData("renameat2", 1)]
    [InlineData("fsync", 1)]
    [InlineData("pwrite64", 7)]
    public void An_agent_killed_at_each_of_its_calls_finishes_I2_I4(string call, int stride) =>
        KilledAt(call, Enumerable.Range(0, 1_000).Select(n => 1 + n * stride)).ShouldBeGreaterThan(10);

    /// <summary>Runs and returns with the agent killed at each of these calls in turn, until it makes no so many.</summary>
    /// <returns>How often it was killed.</returns>
    private int KilledAt(string call, IEnumerable<int> moments)
    {
        _tree.FillHard($"{_tree.Home}/Documents", 60);
        Directory.CreateDirectory($"{_tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{_tree.Home}/Documents");
        Field.Kill(Enrol());
        var killed = 0;
        foreach (var n in moments)
        {
            var run = StartRun();
            var agent = _field.StartAgentKilledAt(_tree.Root, "map-01", call, n);
            Field.WaitFor(() => agent.HasExited || _field.Run("run", "show", run, "--json").Json.GetProperty("state").GetString() == "ended", $"{call} {n}");
            if (!agent.HasExited) break;
            killed++;
            LinuxTree.Difference(before, LinuxTree.Describe(LivePlace("XDG_DOCUMENTS_DIR", "Documents"))).ShouldBeEmpty($"killed at {call} {n}");
            var again = _field.StartAgent(_tree.Root, "map-01");
            _field.Run("run", "follow", run).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, $"killed at {call} {n}: {o}"));
            foreach (var relocation in _field.Run("relocation", "list", "--run", run, "--json").Json.EnumerateArray())
                _field.Run("relocation", "return", $"{relocation.GetProperty("number")}", "--follow").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, $"killed at {call} {n}: {o}"));
            LinuxTree.Difference(before, LinuxTree.Describe($"{_tree.Home}/Documents")).ShouldBeEmpty($"returned after a kill at {call} {n}");
            Field.Kill(again);
            LinuxTree.Sh($"rm -rf {_tree.Home}/.furlough-* {_tree.Root}/data/People");
        }
        EveryBulletinOnce();
        return killed;
    }

    [Fact]
    public void A_service_killed_during_a_run_loses_no_bulletin_and_applies_none_twice()
    {
        _tree.FillHard($"{_tree.Home}/Documents", 2_000);
        _tree.FillHard($"{_tree.Home}/Pictures", 2_000);
        Enrol();
        var number = StartRun();
        for (var kills = 0; kills < 4; kills++)
        {
            CancellationToken.None.WaitHandle.WaitOne(900);
            _field.KillService();
            _field.StartService();
        }
        _field.Run("run", "follow", number).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        EveryBulletinOnce();
        _field.StopService().ShouldBe(0);
    }

    [Fact]
    public void What_is_refused_is_said_clearly_and_changes_nothing()
    {
        _tree.FillHard($"{_tree.Home}/Documents", 5);
        var code = _field.Invite();
        _field.StartAgent(_tree.Root, "map-01", code);
        Field.WaitFor(() => _field.Run("machine", "list", "--json").Out.Contains("surveyedAt\": \"20", StringComparison.Ordinal), "the survey");
        _field.RunAgent("--service", _field.Address, "--root", _tree.Root, "--data", $"{_field.Folder}/other", "--name", "other", "--code", code)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("has been used already"));
        _field.RunAgent("--service", _field.Address, "--root", _tree.Root, "--data", $"{_field.Folder}/third", "--name", "third", "--code", "nonsense." + code.Split('.')[1]).Error.ShouldContain("not known here");
        ExpireInvites();
        var late = _field.Invite();
        ExpireInvites();
        _field.RunAgent("--service", _field.Address, "--root", _tree.Root, "--data", $"{_field.Folder}/late", "--name", "late", "--code", late).Error.ShouldContain("expired");

        var reader = _field.Run("access", "add", "visitor", "--role", "reader").Out.Trim();
        _field.RunAs(reader, "machine", "list").Code.ShouldBe(0);
        _field.RunAs(reader, "plan", "make", _field.WriteBrief(Brief)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("visitor is a reader"));
        _field.RunAs("flt-wrong", "machine", "list").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("token"));

        foreach (var (right, wrong, words) in ((string, string, string)[])[("title:", "titel:", "`titel` is no key"), ("onto: roomy", "onto: 'D:'", "drive letter"), ("People/{account}", "../{account}", "`..`"), ("map-01", "nowhere-9", "means no machine")])
            _field.Run("plan", "make", _field.WriteBrief(Brief.Replace(right, wrong, StringComparison.Ordinal))).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2, o.ToString()), o => o.Error.ShouldContain(words));
        _field.Run("brief", "check", _field.WriteBrief(Brief.Replace("title:", "titel:", StringComparison.Ordinal))).Error.ShouldContain("line 2, column 1");
        _field.Run("plan", "make", "/no/such/file").Code.ShouldBe(2);
        _field.Run("run", "start", "--plan", "77").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("no plan 77"));
        _field.Run("run", "fly").Code.ShouldBe(2);
        _field.Run("plan", "list", "--json").Json.GetArrayLength().ShouldBe(0);

        _field.Run("plan", "make", _field.WriteBrief(Brief.Replace("system: false", "system: true", StringComparison.Ordinal))).Out.ShouldContain("target-on-system-volume");
        _field.Run("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("must accept first"));
        _field.Run("plan", "consent", "1", "--hazard", "target-on-system-volume", "--reason", "a trial").Out.ShouldContain("Next: furlough run start --plan 1");
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Elsewhere\"\n");
        _field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        _field.Run("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("overtaken"));
        Directory.GetFileSystemEntries($"{_tree.Root}/data").Length.ShouldBe(2);
    }

    private Process Enrol()
    {
        var agent = _field.StartAgent(_tree.Root, "map-01", _field.Invite());
        Field.WaitFor(() => _field.Run("machine", "list", "--json").Out.Contains("surveyedAt\": \"20", StringComparison.Ordinal), "the survey");
        return agent;
    }

    private string StartRun()
    {
        var plan = _field.Run("plan", "make", _field.WriteBrief(Brief), "--json");
        plan.Code.ShouldBe(0, plan.ToString());
        return _field.Run("run", "start", "--plan", $"{plan.Json.GetProperty("number")}", "--json").Json.GetProperty("number").ToString();
    }

    private Outcome StartAgentAndRun()
    {
        Enrol();
        return _field.Run("run", "follow", StartRun());
    }

    private JsonElement Relocation(string holding) => _field.Run("relocation", "list", "--json").Json.EnumerateArray().Single(r => r.GetProperty("holding").GetString() == holding);

    private string XdgUserDir(string word) =>
        LinuxTree.Sh($"setpriv --reuid=1701 --regid=1701 --clear-groups env -i HOME={_tree.Home} PATH=/usr/bin:/bin xdg-user-dir {word}").Trim();

    /// <summary>Where the setting leads now; where it leads to nothing (an agent died in the middle), the one complete place there is is not live for anybody.</summary>
    private string LivePlace(string key, string folder)
    {
        var line = File.ReadAllLines(_tree.UserDirs).Single(l => l.StartsWith(key, StringComparison.Ordinal));
        return line.Contains("$HOME", StringComparison.Ordinal) ? $"{_tree.Home}/{folder}" : $"{_tree.Root}/data/People/asa.lind/{folder}";
    }

    private void EveryBulletinOnce()
    {
        Field.WaitFor(() => Numbers($"{_field.Folder}/service/furlough.db", "SELECT Number FROM Bulletins ORDER BY Number").Count == Numbers($"{_field.Folder}/map-01/agent.db", "SELECT number FROM bulletin ORDER BY number").Count, "all bulletins");
        var stored = Numbers($"{_field.Folder}/service/furlough.db", "SELECT Number FROM Bulletins ORDER BY Number");
        stored.ShouldBe(Enumerable.Range(1, stored.Count).Select(n => (long)n));
        stored.Count.ShouldBeGreaterThan(10);
    }

    private void ExpireInvites()
    {
        using var connection = new SqliteConnection($"Data Source={_field.Folder}/service/furlough.db");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = "UPDATE Invites SET Expires = 1";
        command.ExecuteNonQuery();
    }

    private static List<long> Numbers(string file, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={file};Mode=ReadOnly");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        using var reader = command.ExecuteReader();
        List<long> numbers = [];
        while (reader.Read()) numbers.Add(reader.GetInt64(0));
        return numbers;
    }
}
