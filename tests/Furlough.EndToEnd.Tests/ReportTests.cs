using System.Text;
using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Reports of a run, a room and an audit in every form.</summary>
public sealed class ReportTests : RealDesk
{
    private const string Reason = "=1+1 <script>alert('x')</script>";

    private string At(string name) => Path.Combine(Field.Folder, name);

    [Fact]
    public void A_run_a_room_and_an_audit_are_reported_as_text_page_print_table_and_JSON()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        LinuxTree.Sh($"chown 1701:1701 {Tree.Home}/Pictures; fallocate -l 250M {Tree.Root}/data/other");
        Enrol();
        var plan = Field.Run("plan", "make", Field.WriteBrief(Brief + "\nreserve: {others: 90%}\n"), "--json").Json;
        var wanted = plan.GetProperty("consentsWanted").EnumerateArray().Select(c => c.GetString()!).ToList();
        wanted.ShouldContain("reserve-broken");
        foreach (var hazard in wanted)
            Field.Run("plan", "consent", "1", "--hazard", hazard, "--reason", Reason).Code.ShouldBe(0);
        Field.Run("run", "start", "--plan", "1").Code.ShouldBe(0);
        Field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.Run("audit", "make").Code.ShouldBe(0);

        Field
            .Run("report", "make", "--run", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("Run 1: One desk"),
                o => o.Out.ShouldContain("steward started the run at"),
                o => o.Out.ShouldContain("2 relocations on 1 machine: 2 switched."),
                o => o.Out.ShouldContain("Free only when they are discarded"),
                o => o.Out.ShouldContain("Consents"),
                o => o.Out.ShouldContain(Reason),
                o => o.Out.ShouldContain("/data/People/asa.lind/Documents")
            );
        Field.Run("report", "make", "--room", "Map Room").Out.ShouldContain("■ settled");
        Field.Run("report", "make", "--audit", "1").Out.ShouldContain("had 1 machine compared");

        Write("run.html", "--run", "1");
        var page = File.ReadAllText(At("run.html"));
        page.ShouldSatisfyAllConditions(
            p => p.ShouldNotContain("<script"),
            p => p.ShouldContain("=1&#x2B;1 &lt;script&gt;"),
            p => p.ShouldContain("class=\"kept\""),
            p => p.ShouldNotContain("src="),
            p => p.ShouldNotContain("href=")
        );
        Write("run.pdf", "--run", "1");
        Encoding.ASCII.GetString(File.ReadAllBytes(At("run.pdf")).AsSpan(0, 5)).ShouldBe("%PDF-");
        Write("consents.csv", "--run", "1", "--table", "consents");
        File.ReadAllText(At("consents.csv"))
            .ShouldSatisfyAllConditions(
                t => t.ShouldStartWith("hazard,by,at,reason\r\n"),
                t => t.ShouldContain("'=1+1 <script>")
            );
        Write("run.csv", "--run", "1");
        File.ReadAllLines(At("run.csv")).Length.ShouldBe(3, "a head and two relocations");
        Write("run.json", "--run", "1");
        JsonDocument
            .Parse(File.ReadAllText(At("run.json")))
            .RootElement.GetProperty("space")
            .EnumerateArray()
            .First(v => v.GetProperty("root").GetString() == "/data")
            .ShouldSatisfyAllConditions(
                v =>
                    v.GetProperty("freeBeforeBytes")
                        .GetInt64()
                        .ShouldBeGreaterThan(v.GetProperty("freeBytes").GetInt64()),
                v =>
                    v.GetProperty("reserveBytes")
                        .GetInt64()
                        .ShouldBe((long)(0.9 * v.GetProperty("sizeBytes").GetInt64()))
            );

        Field
            .Run("report", "make")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("one run, one room or one audit")
            );
        Field.Run("report", "make", "--run", "9").Error.ShouldContain("There is no run 9");
        Field.Run("report", "make", "--room", "Attic").Error.ShouldContain("There is no room Attic");
        Field
            .Run("report", "make", "--run", "1", "--to", At("run.xls"))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("cannot be written as `.xls`")
            );
        File.Exists(At("run.xls")).ShouldBeFalse();
    }

    private void Write(string file, params string[] of) =>
        Field
            .Run(["report", "make", .. of, "--to", At(file)])
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()), o => o.Out.ShouldContain("is written."));
}
