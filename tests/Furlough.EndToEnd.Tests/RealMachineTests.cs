using System.Diagnostics;
using System.Text.Json;
using Furlough.Platform.Tests;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

public sealed class RealMachineTests : RealDesk
{
    [Fact]
    public void A_technician_relocates_audits_and_returns_real_folders()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20_000, 300);
        Tree.FillHard($"{Tree.Home}/Pictures", 50);
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        StartAgentAndRun()
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("2 switched"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe("/data/People/asa.lind/Documents");

        var documents = Relocation("Documents");
        documents.GetProperty("state").GetString().ShouldBe("switched");
        documents.GetProperty("live").GetString().ShouldBe("target");
        documents.GetProperty("machine").GetString().ShouldBe("map-01");
        documents.GetProperty("source").GetString().ShouldBe("/home/asa.lind/Documents");
        documents.GetProperty("failure").ValueKind.ShouldBe(JsonValueKind.Null);
        documents
            .GetProperty("notes")
            .EnumerateArray()
            .Select(n => n.GetString())
            .ShouldContain(n => n!.Contains("named pipe"));
        Field.Run("audit", "make", "--json").Json.GetProperty("findings").GetArrayLength().ShouldBe(0);
        Field
            .RunAgent("status", "--data", $"{Field.Folder}/map-01")
            .Out.ShouldContain("Documents of asa.lind  switched");

        var number = documents.GetProperty("number").GetInt64();
        Field
            .Run("relocation", "return", $"{number}", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("returned"));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Documents")).ShouldBeEmpty();
        XdgUserDir("DOCUMENTS").ShouldBe($"{Tree.Home}/Documents");
        File.ReadAllText(Tree.UserDirs)
            .ShouldBe(
                "# mine\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"/data/People/asa.lind/Pictures\"\n"
            );

        Field
            .Run(
                "original",
                "discard",
                Original("Pictures"),
                "--before-its-time",
                "--reason",
                "nobody needs it",
                "--follow"
            )
            .Out.ShouldContain("finished");
        Tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_PICTURES_DIR=\"$HOME/Pictures\"\n");
        // A survey that was under way when the setting changed may still answer the first audit.
        JsonElement findings = default;
        Field.WaitFor(
            () => (findings = Field.Run("audit", "make", "--json").Json.GetProperty("findings")).GetArrayLength() > 0,
            "the finding"
        );
        var finding = findings[0];
        finding.GetProperty("code").GetString().ShouldBe("pointer-not-as-planned");
        finding.GetProperty("remedy").GetString().ShouldNotBeNullOrEmpty();
    }

    [Fact]
    public void A_machine_that_stops_at_ten_random_moments_always_ends_complete_I2_I5()
    {
        var boots = Directory.CreateDirectory($"{Tree.Root}/proc/sys/kernel/random").FullName;
        Tree.FillHard($"{Tree.Home}/Documents", 1_500);
        Tree.FillHard($"{Tree.Home}/Pictures", 1_500);
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        var agent = Enrol();
        var number = StartRun();
        var random = new Random(4);
        for (var kills = 0; kills < 10; kills++)
        {
            CancellationToken.None.WaitHandle.WaitOne(random.Next(400, 1_400));
            Field.Kill(agent);
            LinuxTree
                .Difference(before, LinuxTree.Describe(LivePlace("XDG_DOCUMENTS_DIR", "Documents")))
                .ShouldBeEmpty($"after kill {kills}");
            File.WriteAllText($"{boots}/boot_id", $"{Guid.NewGuid()}\n");
            agent = Field.StartAgent(Tree.Root, "map-01");
        }
        Field.Run("run", "follow", number).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        EveryBulletinOnce();
    }

    [Theory]
    [InlineData("renameat2", new[] { 4, 7, 8, 16, 17 })] // 7 and 17 write the pointers of the two folders
    [InlineData("fsync", new[] { 11, 37 })]
    public void An_agent_killed_at_a_rename_or_flush_leaves_the_live_place_complete_and_finishes_I2_I4(
        string call,
        int[] moments
    ) => KilledAt(call, moments).ShouldBe(moments.Length);

    /// <summary>
    /// The n-th flush of a file, folder or volume fails; what was written since the last good one is not trusted, and
    /// nothing is lost.
    /// </summary>
    [Theory]
    [InlineData("syncfs", "EIO", 1)]
    [InlineData("fsync", "EIO", 26)]
    public void A_flush_that_fails_loses_nothing_and_a_later_attempt_succeeds_I3(
        string call,
        string error,
        int moment
    ) => FlushFails(call, error, moment);

    [Theory]
    [Trait("Category", "long")]
    [InlineData("syncfs", "ENOSPC", 2)]
    [InlineData("fsync", "EIO", 8)]
    [InlineData("fsync", "EIO", 14)]
    [InlineData("fsync", "EIO", 38)]
    [InlineData("fsync", "EIO", 44)]
    public void Flushes_that_fail_at_further_moments_lose_nothing_I3(string call, string error, int moment) =>
        FlushFails(call, error, moment);

    private void FlushFails(string call, string error, int moment)
    {
        Tree.FillHard($"{Tree.Home}/Documents", 60);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        Field.Kill(Enrol());
        var run = StartRun();
        var agent = Field.StartAgentWith(Tree.Root, "map-01", call, $"error={error}:when={moment}");
        Field.WaitFor(
            () => agent.HasExited || Field.Ask($"runs/{run}").GetProperty("state").GetString() == "ended",
            $"{call} {moment}"
        );
        LinuxTree.Difference(before, LinuxTree.Describe(LivePlace("XDG_DOCUMENTS_DIR", "Documents"))).ShouldBeEmpty();
        // The first is a target's. A later one may be a source's, whose flush only says what need not be read again.
        if (call == "syncfs" && moment == 1)
            Field
                .Run("relocation", "list", "--json")
                .Out.ShouldContain("\"failed\"", customMessage: "the error was met and told");
        if (!agent.HasExited)
            Field.Kill(agent);
        Field.StartAgent(Tree.Root, "map-01");
        Field.WaitFor(() => Field.Ask($"runs/{run}").GetProperty("state").GetString() == "ended", "the end");
        foreach (
            var failed in Field
                .Run("relocation", "list", "--json")
                .Json.EnumerateArray()
                .Where(r => r.GetProperty("state").GetString() == "failed")
        )
        {
            var live = failed.GetProperty("live").GetString();
            failed.GetProperty("failure").GetProperty("where").GetString()!.ShouldContain($"its {live}");
            if (live == "target")
            {
                // It failed when its account was to be let in: the agent that came after it has done that.
                LinuxTree.Sh($"cat {Tree.Root}/var/lib/furlough-agent/barred || true").ShouldNotContain("asa.lind");
                continue;
            }
            Field
                .Run("relocation", "retry", failed.GetProperty("number").ToString(), "--follow")
                .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        }
        Relocation("Documents").GetProperty("state").GetString().ShouldBe("switched");
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/Documents")).ShouldBeEmpty();
        LinuxTree
            .Sh(
                $"ls -A {Tree.Root}/data/People/asa.lind {Tree.Root}/data/.furlough-dockets | grep -c -e Documents -e Pictures -e -copy"
            )
            .Trim()
            .ShouldBe("4", "a receipt each and nothing else");
    }

    /// <summary>
    /// Every pointer write, every rename into place and every journalled step lies at or between these calls.
    /// </summary>
    [Theory]
    [Trait("Category", "long")]
    [InlineData("renameat2", 1)]
    [InlineData("fsync", 1)]
    [InlineData("pwrite64", 7)]
    public void An_agent_killed_at_each_of_its_calls_finishes_I2_I4(string call, int stride) =>
        KilledAt(call, Enumerable.Range(0, 1_000).Select(n => 1 + n * stride)).ShouldBeGreaterThan(10);

    /// <summary>
    /// Runs and returns with the agent killed at each of these calls in turn, until it makes no so many.
    /// </summary>
    /// <returns>How often it was killed.</returns>
    private int KilledAt(string call, IEnumerable<int> moments)
    {
        Tree.FillHard($"{Tree.Home}/Documents", 60);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        var before = LinuxTree.Describe($"{Tree.Home}/Documents");
        Field.Kill(Enrol());
        var killed = 0;
        foreach (var n in moments)
        {
            // Which thread makes a call is chance, and calls are counted by thread.
            if (!Enumerable.Range(0, 3).Any(_ => DiesAt(call, n, before)))
                break;
            killed++;
        }
        EveryBulletinOnce();
        return killed;
    }

    /// <summary>How a program ends that SIGKILL ends: 128 and 9.</summary>
    private const int KilledBySignal = 137;

    /// <summary>One run and return with the agent killed at a call.</summary>
    /// <returns>Whether it made so many of them.</returns>
    private bool DiesAt(string call, int n, string before)
    {
        var run = StartRun();
        var agent = Field.StartAgentKilledAt(Tree.Root, "map-01", call, n);
        Field.WaitFor(
            () => agent.HasExited || Field.Ask($"runs/{run}").GetProperty("state").GetString() == "ended",
            $"{call} {n}"
        );
        var died = agent.HasExited;
        if (died)
            agent.ExitCode.ShouldBe(KilledBySignal, $"it ended otherwise than by the kill at {call} {n}");
        else
            Field.Kill(agent);
        LinuxTree
            .Difference(before, LinuxTree.Describe(LivePlace("XDG_DOCUMENTS_DIR", "Documents")))
            .ShouldBeEmpty($"killed at {call} {n}");
        var again = Field.StartAgent(Tree.Root, "map-01");
        Field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, $"killed at {call} {n}: {o}"));
        foreach (var relocation in Field.Run("relocation", "list", "--run", run, "--json").Json.EnumerateArray())
            Field
                .Run("relocation", "return", $"{relocation.GetProperty("number")}", "--follow")
                .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, $"killed at {call} {n}: {o}"));
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{Tree.Home}/Documents"))
            .ShouldBeEmpty($"returned after a kill at {call} {n}");
        // The next plan is made from what the machine has said last.
        Field.Run("machine", "survey", "map-01").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Kill(again);
        LinuxTree.Sh(
            $"rm -rf {Tree.Root}/.furlough-dockets {Tree.Root}/data/.furlough-dockets {Tree.Root}/data/People"
        );
        return died;
    }

    [Fact]
    public void A_service_killed_during_a_run_loses_no_bulletin_and_applies_none_twice()
    {
        Field.UseServiceProgram();
        Tree.FillHard($"{Tree.Home}/Documents", 2_000);
        Tree.FillHard($"{Tree.Home}/Pictures", 2_000);
        Enrol();
        var number = StartRun();
        for (var kills = 0; kills < 4; kills++)
        {
            CancellationToken.None.WaitHandle.WaitOne(900);
            Field.KillService();
            Field.StartServiceProgram();
        }
        Field.Run("run", "follow", number).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        EveryBulletinOnce();
        Field.StopService().ShouldBe(0);
    }

    [Fact]
    public void What_is_refused_is_said_clearly_and_changes_nothing()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 5);
        var code = Field.Invite();
        Field.StartAgent(Tree.Root, "map-01", code);
        Field.WaitForSurveys();
        Field
            .RunAgent("--service", Field.Address, "--root", Tree.Root, "--data", $"{Field.Folder}/second")
            .Error.ShouldContain("Another agent works on the system");
        Field
            .RunAgent(
                "--service",
                Field.Address,
                "--root",
                Field.Folder,
                "--data",
                $"{Field.Folder}/other",
                "--name",
                "other",
                "--code-file",
                Field.CodeFile(code)
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("has been used already"));
        Field
            .RunAgent(
                "--service",
                Field.Address,
                "--root",
                Field.Folder,
                "--data",
                $"{Field.Folder}/third",
                "--name",
                "third",
                "--code-file",
                Field.CodeFile("nonsense." + code.Split('.')[1])
            )
            .Error.ShouldContain("not known here");
        ExpireInvites();
        var late = Field.Invite();
        ExpireInvites();
        Field
            .RunAgent(
                "--service",
                Field.Address,
                "--root",
                Field.Folder,
                "--data",
                $"{Field.Folder}/late",
                "--name",
                "late",
                "--code-file",
                Field.CodeFile(late)
            )
            .Error.ShouldContain("expired");

        var reader = Field.Run("access", "add", "visitor", "--level", "reader").Out.Trim();
        Field.RunAs(reader, "machine", "list").Code.ShouldBe(0);
        Field
            .RunAs(reader, "plan", "make", Field.WriteBrief(Brief))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("visitor has the access level reader")
            );
        Field
            .RunAs("flt-wrong", "machine", "list")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("token"));

        foreach (
            var (right, wrong, words) in ((string, string, string)[])
                [
                    ("title:", "titel:", "`titel` is not a key"),
                    ("onto: roomy", "onto: 'D:'", "drive letter"),
                    ("People/{account}", "../{account}", "`..`"),
                    ("map-01", "nowhere-9", "means no machine"),
                ]
        )
            Field
                .Run("plan", "make", Field.WriteBrief(Brief.Replace(right, wrong, StringComparison.Ordinal)))
                .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2, o.ToString()), o => o.Error.ShouldContain(words));
        Field
            .Run("brief", "check", Field.WriteBrief(Brief.Replace("title:", "titel:", StringComparison.Ordinal)))
            .Error.ShouldContain("line 2, column 1");
        Field.Run("plan", "make", "/no/such/file").Code.ShouldBe(2);
        Field
            .Run("run", "start", "--plan", "77")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("no plan 77"));
        Field.Run("run", "fly").Code.ShouldBe(2);
        Field.Run("plan", "list", "--json").Json.GetArrayLength().ShouldBe(0);

        Field
            .Run(
                "plan",
                "make",
                Field.WriteBrief(Brief.Replace("system: false", "system: true", StringComparison.Ordinal))
            )
            .Out.ShouldContain("target-on-system-volume");
        Field
            .Run("run", "start", "--plan", "1")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("must accept first"));
        Field
            .Run("plan", "consent", "1", "--hazard", "target-on-system-volume", "--reason", "a trial")
            .Out.ShouldContain("Next: furlough run start --plan 1");
        Tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Elsewhere\"\n");
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field
            .Run("run", "start", "--plan", "1")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("out of date"));
        Directory.GetFileSystemEntries($"{Tree.Root}/data").Length.ShouldBe(2);
    }
}
