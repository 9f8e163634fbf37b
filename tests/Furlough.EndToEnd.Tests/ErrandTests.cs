using System.Diagnostics;
using System.Net.Http.Headers;
using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// What only people can do: raised, claimed, finished, declined, lapsed, with the run going on meanwhile.
/// </summary>
public sealed class ErrandTests : RealDesk
{
    private IReadOnlyList<JsonElement> Errands(bool all = false) =>
        [.. Field.Ask(all ? "errands?all=true" : "errands").EnumerateArray()];

    private JsonElement Errand(string kind) => Errands(all: true).Last(e => e.GetProperty("kind").GetString() == kind);

    private string State(string holding) => Relocation(holding).GetProperty("state").GetString()!;

    private async Task<string> HistoryAsync()
    {
        using var http = new HttpClient();
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", Field.Token);
        return await http.GetStringAsync($"{Field.Address}/api/v1/history");
    }

    /// <summary>
    /// The desk's own system says since when it runs; without this it is that of the machine on which the tests run.
    /// </summary>
    private void SaysItStarted(DateTimeOffset at)
    {
        Directory.CreateDirectory($"{Tree.Root}/proc");
        File.WriteAllText($"{Tree.Root}/proc/stat", $"cpu 0\nbtime {at.ToUnixTimeSeconds()}\n");
    }

    private void Fill()
    {
        Tree.FillHard($"{Tree.Home}/Documents", 20);
        Directory.CreateDirectory($"{Tree.Home}/Pictures");
        File.WriteAllText($"{Tree.Home}/Pictures/plot.tif", "a plot");
    }

    [Fact]
    public async Task What_comes_first_keeps_its_relocations_waiting_while_others_go_on_and_what_comes_after_is_raised_then()
    {
        Fill();
        Enrol();
        Field
            .Run("errand", "list")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0),
                o => o.Out.ShouldContain("Nothing waits for a person.")
            );
        StartRun(
            Brief.Replace(
                "method: warm",
                "attended: true\n    beforehand: [restart]\n    afterwards: [confirm-by-eye]",
                StringComparison.Ordinal
            ) + "\nerrands-within: 2 hours\n"
        );
        Field.WaitFor(() => State("Documents") == "switched" && State("Pictures") == "waiting", "the others");
        Field
            .Run("errand", "list")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(4),
                o => o.Out.ShouldContain("be-there  map-01  until "),
                o => o.Out.ShouldContain("Go to map-01 (Map Room)."),
                o => o.Out.ShouldContain("1 relocation ("),
                o => o.Out.ShouldContain("asa.lind is locked out for about")
            );
        Errands().Select(e => e.GetProperty("kind").GetString()).ShouldBe(["be-there", "restart"]);
        (
            Errand("restart").GetProperty("due").GetDateTimeOffset()
            - Errand("restart").GetProperty("raisedAt").GetDateTimeOffset()
        ).ShouldBe(TimeSpan.FromHours(2));

        var (there, restart) = (
            Errand("be-there").GetProperty("number").ToString(),
            Errand("restart").GetProperty("number").ToString()
        );
        Field.Run("errand", "claim", there, "--as", "room desk").Out.ShouldContain("claimed by room desk");
        Field
            .Run("errand", "claim", there)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("was claimed by room desk")
            );
        Field
            .Run("errand", "finish", restart)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("it has not been restarted")
            );
        SaysItStarted(TimeProvider.System.GetUtcNow().AddSeconds(1));
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.WaitFor(() => Errand("restart").GetProperty("state").GetString() == "finished", "the restart");
        Errand("restart")
            .ShouldSatisfyAllConditions(
                e => e.GetProperty("endedBy").GetString().ShouldBe("map-01"),
                e => e.GetProperty("remark").GetString()!.ShouldStartWith("restarted at ")
            );
        // The machine has been asked for something since, and has heard that nothing begins.
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        State("Pictures").ShouldBe("waiting");
        Field.Run("errand", "finish", there, "--note", "done at lunch").Out.ShouldContain("done at lunch");
        Field
            .Run("errand", "finish", there)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("is finished already, by"));
        Field.WaitFor(() => State("Pictures") == "switched", "the switch");

        var look = Errands().ShouldHaveSingleItem();
        look.GetProperty("kind").GetString().ShouldBe("confirm-by-eye");
        look.GetProperty("text")
            .GetString()!
            .ShouldContain(
                "Sign in as asa.lind on map-01 (Map Room) and open Pictures at `/data/People/asa.lind/Pictures`"
            );
        Field
            .Run("errand", "decline", look.GetProperty("number").ToString(), "--reason", "two plots are missing")
            .Code.ShouldBe(0);
        State("Pictures").ShouldBe("switched", "what came after undoes nothing automatically");
        var number = Relocation("Pictures").GetProperty("number").ToString();
        Field
            .Run("audit", "make")
            .Out.ShouldSatisfyAllConditions(
                o =>
                    o.ShouldContain("declined errand 3 (confirm-by-eye) on map-01 for asa.lind: two plots are missing"),
                o => o.ShouldContain($"`furlough relocation return {number}` takes back")
            );
        Field.Run("relocation", "return", number, "--follow").Code.ShouldBe(0);
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        var history = await HistoryAsync();
        foreach (
            var words in (string[])
                ["errand-raised", "room desk", "done at lunch", "it was restarted", "two plots are missing"]
        )
            history.ShouldContain(words);
    }

    [Fact]
    public void What_is_in_the_way_is_told_and_lapses_and_when_it_is_declined_nothing_waits_for_ever()
    {
        Fill();
        using var first = Process.Start(
            new ProcessStartInfo("tail", ["-f", $"{Tree.Home}/Documents/one"]) { RedirectStandardOutput = true }
        )!;
        using var second = Process.Start(
            new ProcessStartInfo("tail", ["-f", $"{Tree.Home}/Pictures/plot.tif"]) { RedirectStandardOutput = true }
        )!;
        Enrol();
        StartRun(Brief + "\nwork: {files-in-use: {wait: 1 seconds, then: keep-waiting}}\n");
        Field.WaitFor(() => Errands().Count == 2, "two errands");
        Errands()
            .ShouldAllBe(e =>
                e.GetProperty("kind").GetString() == "close-files" && e.GetProperty("account").GetString() == "asa.lind"
            );
        Errands()[0].GetProperty("text").GetString()!.ShouldContain("tail (");
        Field.Kill(first);
        Field.WaitFor(() => State("Documents") == "switched", "the switch");
        Errands(all: true)
            .Single(e => e.GetProperty("state").GetString() == "lapsed")
            .GetProperty("relocation")
            .ToString()
            .ShouldBe(Relocation("Documents").GetProperty("number").ToString());
        var left = Errands().ShouldHaveSingleItem().GetProperty("number").ToString();
        Field
            .Run("errand", "decline", left)
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("--reason"));
        Field
            .Run("errand", "decline", left, "--reason", " ")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2, o.ToString()),
                o => o.Error.ShouldContain("is declined with a reason")
            );
        Field.Run("errand", "decline", left, "--reason", "it must stay open").Code.ShouldBe(0);
        Field.WaitFor(() => State("Pictures") == "backed-out", "backing out");
        File.ReadAllText($"{Tree.Home}/Pictures/plot.tif").ShouldBe("a plot");
        Field.Kill(second);
    }

    [Fact]
    public void A_missing_volume_is_attached_by_somebody_and_what_failed_is_tried_again()
    {
        Fill();
        Enrol();
        var plan = Field.Run("plan", "make", Field.WriteBrief(Brief), "--json").Json.GetProperty("number").ToString();
        Tree.Detach($"{Tree.Root}/data");
        Field.Run("run", "start", "--plan", plan).Code.ShouldBe(0);
        Field.WaitFor(
            () => Errands().Count == 1 && State("Documents") == "failed" && State("Pictures") == "failed",
            "one errand for both"
        );
        Errand("plug-in")
            .GetProperty("text")
            .GetString()!
            .ShouldContain("Attach the missing volume to map-01 (Map Room): ");
        Tree.MountAgain($"{Tree.Root}/data");
        Field
            .Run("errand", "finish", Errand("plug-in").GetProperty("number").ToString())
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field.WaitFor(() => State("Documents") == "switched" && State("Pictures") == "switched", "both");
        Errands().ShouldBeEmpty();
    }

    [Fact]
    public void Wrong_numbers_roles_and_words_change_nothing()
    {
        Fill();
        Enrol();
        StartRun(Brief.Replace("method: warm", "attended: true", StringComparison.Ordinal));
        Field.WaitFor(() => Errands().Count == 1, "the errand");
        var number = Errands()[0].GetProperty("number").ToString();
        Field
            .Run("errand", "claim", "99")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("no errand 99"));
        Field
            .Run("errand", "claim", number, "--as", new string('x', 1_001))
            .Error.ShouldContain("at most 1000 printable characters");
        var reader = Field.Run("access", "add", "visitor", "--level", "reader").Out.Trim();
        Field.RunAs(reader, "errand", "list").Code.ShouldBe(4);
        Field.RunAs(reader, "errand", "finish", number).Code.ShouldBe(5);
        Errands()[0].GetProperty("state").GetString().ShouldBe("open");
        Field
            .Run(
                "brief",
                "check",
                Field.WriteBrief(Brief.Replace("method: warm", "beforehand: [plug-ni]", StringComparison.Ordinal))
            )
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("Perhaps `plug-in` is meant")
            );
        Field.Run("relocation", "begin", Relocation("Pictures").GetProperty("number").ToString()).Code.ShouldBe(0);
        Field.WaitFor(() => Errands().Count == 0, "lapsing");
        Errand("be-there").GetProperty("state").GetString().ShouldBe("lapsed");
    }
}
