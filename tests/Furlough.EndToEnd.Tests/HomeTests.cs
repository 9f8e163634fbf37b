using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Whole homes, relocated on a whole Debian; its own commands say where they are.</summary>
public sealed class HomeTests() : RealDesk(megabytes: 300, whole: true)
{
    private const string Homes = """
        furlough-brief: 1
        title: Homes to the roomy volume
        machines: {names: [map-01]}
        volumes: {roomy: {system: false}}
        relocate:
          - {homes: whole, onto: roomy, path: "Homes/{account}"}
        """;

    private string Moved => $"{Tree.Root}/data/Homes/asa.lind";

    [Fact]
    public void A_home_is_relocated_with_everything_in_it_and_returned_with_the_database_as_it_was()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 40);
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Music {Tree.Home}/.local/share/sketcher; echo fen > "
                + $"{Tree.Home}/.local/share/sketcher/recent; dd if=/dev/zero of={Tree.Home}/.hidden bs=1k count=64 "
                + $"status=none; ln -s Documents {Tree.Home}/latest; chown -hR 1701:1701 {Tree.Home}; mkdir -p "
                + $"{Tree.Root}/var/mail; echo 'letter' > {Tree.Root}/var/mail/asa.lind"
        );
        File.WriteAllText(
            $"{Tree.Root}/var/spool/cron/crontabs/asa.lind",
            "# mine\n0 3 * * * /home/asa.lind/nightly\n"
        );
        var files = new[] { "passwd", "group", "subuid", "subgid" };
        var (before, database) = (
            LinuxTree.Describe(Tree.Home),
            files.Select(f => File.ReadAllText($"{Tree.Root}/etc/{f}")).ToList()
        );
        LinuxTree.Sh(
            $"chroot {Tree.Root} su asa.lind -c 'cd / && exec sleep 3000 >/dev/null 2>&1 </dev/null' >/dev/null 2>&1 & sleep 1"
        );
        Enrol("--fallback", "keeper");

        Plan(Homes)
            .ShouldContain(
                "On map-01 the timetable of asa.lind names the home of asa.lind by its path `/home/asa.lind`"
            );
        Field
            .Run(
                "plan",
                "consent",
                "1",
                "--hazard",
                "home-named-by-path",
                "--reason",
                "The timetable is changed manually"
            )
            .Code.ShouldBe(0);
        Field.Run("run", "start", "--plan", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.WaitFor(() => Home().GetProperty("state").GetString() == "waiting", "the program that runs on");
        Home()
            .GetProperty("failure")
            .GetProperty("text")
            .GetString()!
            .ShouldContain("asa.lind still runs sleep (asa.lind)");
        var inside = Field.Run("plan", "make", Field.WriteBrief(Brief), "--json").Json.GetProperty("number").ToString();
        Field.Run("run", "start", "--plan", inside).ToString().ShouldContain("under way in another run");
        Tree.End("sleep");
        Field.WaitFor(() => Home().GetProperty("state").GetString() is "switched" or "failed", "the switch");
        Home().GetProperty("state").GetString().ShouldBe("switched", Home().ToString());

        Tree.As("asa.lind", "xdg-user-dir DOCUMENTS; echo $HOME; pwd; cat latest/../.hidden | wc -c")
            .Split('\n')
            .ShouldBe(["/data/Homes/asa.lind/Documents", "/data/Homes/asa.lind", "/data/Homes/asa.lind", "65536"]);
        LinuxTree.Difference(before, LinuxTree.Describe(Moved)).ShouldBeEmpty();
        File.ReadAllText($"{Tree.Root}/var/mail/asa.lind").ShouldBe("letter\n");
        File.ReadAllText($"{Tree.Root}/etc/subuid").ShouldBe(database[2]);
        File.ReadAllText($"{Tree.Root}/etc/passwd")
            .ShouldBe(database[0].Replace(":/home/asa.lind:", ":/data/Homes/asa.lind:", StringComparison.Ordinal));
        LinuxTree.Sh($"stat -c '%u %a' {Moved} {Tree.Root}/data/Homes").Split('\n').ShouldBe(["1701 700", "0 755", ""]);
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");

        Field
            .Run("relocation", "return", Home().GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        files.Select(f => File.ReadAllText($"{Tree.Root}/etc/{f}")).ShouldBe(database);
        LinuxTree.Difference(before, LinuxTree.Describe(Tree.Home)).ShouldBeEmpty();
        Tree.As("asa.lind", "xdg-user-dir DOCUMENTS; echo $HOME")
            .Split('\n')
            .ShouldBe(["/home/asa.lind/Documents", "/home/asa.lind"]);
    }

    [Fact]
    public void A_fresh_sign_in_finishes_its_errand_and_what_runs_with_the_former_home_is_told()
    {
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Documents; echo x > {Tree.Home}/Documents/x; chown -hR 1701:1701 {Tree.Home}"
        );
        Enrol("--fallback", "keeper");
        Field
            .Run(
                "run",
                "follow",
                StartRun(
                    Homes.Replace(
                        "Homes/{account}\"",
                        "Homes/{account}\", afterwards: [sign-in]",
                        StringComparison.Ordinal
                    )
                )
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        var errand = Field.Run("errand", "list", "--json").Json.EnumerateArray().Single();
        errand.GetProperty("kind").GetString().ShouldBe("sign-in");
        errand.GetProperty("text").GetString()!.ShouldStartWith("Have asa.lind sign in afresh on map-01 (");
        Running("HOME=/home/asa.lind");
        Survey();
        Field
            .Run("errand", "list", "--json")
            .Json.EnumerateArray()
            .Count()
            .ShouldBe(1, "it is signed in, but not with the new home");
        Field
            .Run("audit", "make")
            .Out.ShouldContain(
                "Something runs in asa.lind on map-01 that was started with the home `/home/asa.lind`, where it lived before"
            );
        Tree.End("sleep");
        Running("X=1");
        Survey();
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        var ended = Field.Run("errand", "list", "--all", "--json").Json.EnumerateArray().Single();
        ended.GetProperty("state").GetString().ShouldBe("finished");
        ended.GetProperty("remark").GetString()!.ShouldEndWith("with the home `/data/Homes/asa.lind`");
        Tree.End("sleep");

        void Running(string with) =>
            LinuxTree.Sh(
                $"chroot {Tree.Root} su asa.lind -c 'cd / && exec env {with} sleep 3000 >/dev/null 2>&1 "
                    + "</dev/null' >/dev/null 2>&1 & sleep 1"
            );
        void Survey() => Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
    }

    [Fact]
    public void Settings_inside_a_relocated_home_are_still_known_and_no_return_leads_them_astray()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Pictures; touch {Tree.Home}/Pictures/plot; chown -hR 1701:1701 {Tree.Home}"
        );
        Enrol("--fallback", "keeper");
        Field
            .Run("run", "follow", StartRun(Brief.Replace("    method: warm\n", "", StringComparison.Ordinal)))
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.Run("run", "follow", StartRun(Homes)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Tree.As("asa.lind", "xdg-user-dir DOCUMENTS; echo $HOME")
            .Split('\n')
            .ShouldBe(["/data/People/asa.lind/Documents", "/data/Homes/asa.lind"]);
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");

        // `$HOME/Documents` is inside the new home now, and the folder would come back into the former one.
        var refused = Field.Run(
            "relocation",
            "return",
            Relocation("Documents").GetProperty("number").ToString(),
            "--follow"
        );
        refused.Code.ShouldBe(1);
        refused
            .ToString()
            .ShouldContain("leads to `/data/Homes/asa.lind/Documents` now and not to `/home/asa.lind/Documents`");
        Tree.As("asa.lind", "ls -d $(xdg-user-dir DOCUMENTS)/batch-000")
            .ShouldBe("/data/People/asa.lind/Documents/batch-000");

        Field
            .Run("relocation", "return", Home().GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field
            .Run("relocation", "return", Relocation("Documents").GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Tree.As("asa.lind", "ls -d $(xdg-user-dir DOCUMENTS)/batch-000").ShouldBe("/home/asa.lind/Documents/batch-000");
    }

    private System.Text.Json.JsonElement Home() => Relocation("home");

    private string Plan(string brief)
    {
        var made = Field.Run("plan", "make", Field.WriteBrief(brief));
        made.Code.ShouldBe(0, made.ToString());
        return Field.Run("plan", "show", "1").Out;
    }
}
