using System.Diagnostics;
using System.Net;
using System.Net.Http.Headers;
using System.Text.Json;
using Furlough.Platform.Tests;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// What people decide about runs: a second person approves, failures of one cause are settled together, machines are
/// held.
/// </summary>
public sealed class RunTests : RealDesk
{
    private string State(string holding) => Relocation(holding).GetProperty("state").GetString()!;

    private void Fill()
    {
        foreach (var folder in (string[])["Documents", "Pictures"])
        {
            Directory.CreateDirectory($"{Tree.Home}/{folder}");
            File.WriteAllText($"{Tree.Home}/{folder}/plot.tif", "a plot");
        }
        LinuxTree.Sh($"chown -R 1701:1701 {Tree.Home}/Documents {Tree.Home}/Pictures");
    }

    private Process Open(string folder) =>
        Process.Start(
            new ProcessStartInfo("tail", ["-f", $"{Tree.Home}/{folder}/plot.tif"]) { RedirectStandardOutput = true }
        )!;

    private string Token(string name, string role) => Field.Run("access", "add", name, "--level", role).Out.Trim();

    [Fact]
    public void A_run_that_wants_approval_begins_nothing_until_somebody_else_has_approved_it()
    {
        Fill();
        Enrol();
        var (technician, approver) = (Token("asa.lind", "technician"), Token("mara.ostby", "approver"));
        var plan = Field
            .RunAs(technician, "plan", "make", Field.WriteBrief(Brief + "\napproval: second-person\n"), "--json")
            .Json.GetProperty("number")
            .ToString();
        Field
            .RunAs(technician, "run", "start", "--plan", plan)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("Run 1 is proposed"),
                o => o.Out.ShouldContain("furlough run approve 1")
            );
        Field
            .RunAs(technician, "run", "follow", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(4),
                o => o.Out.ShouldContain("requires a second person's approval")
            );
        Field
            .RunAs(technician, "run", "approve", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("asa.lind has the access level technician")
            );
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        State("Documents").ShouldBe("planned");

        Field
            .RunAs(approver, "run", "approve", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("Run 1 is running")
            );
        Field
            .RunAs(technician, "run", "follow", "1")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("Started by asa.lind, approved by mara.ostby.")
            );
        Field
            .RunAs(approver, "run", "approve", "1")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("cannot be approved"));

        // The steward may approve, but not what the steward started; a proposed run may be halted.
        Field
            .Run(
                "relocation",
                "return",
                Relocation("Documents").GetProperty("number").ToString(),
                Relocation("Pictures").GetProperty("number").ToString(),
                "--follow"
            )
            .Code.ShouldBe(0);
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        var second = StartRun(
            Brief.Replace("path: People", "path: Second", StringComparison.Ordinal) + "\napproval: second-person\n"
        );
        Field
            .Run("run", "approve", second)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("Run 2 was started by steward")
            );
        Field.Run("run", "halt", second).Out.ShouldContain("Run 2 is ended: 2 refused");
        Field
            .Run("history", "list", "--about", "run 1")
            .ShouldSatisfyAllConditions(
                o => o.Out.ShouldContain("run proposed"),
                o => o.Out.ShouldContain("run approved"),
                o => o.Out.ShouldNotContain("run 2")
            );
    }

    [Fact]
    public void Failures_of_one_cause_are_tried_again_or_skipped_together_and_what_is_skipped_is_nobody_s_concern()
    {
        Fill();
        using var first = Open("Documents");
        using var second = Open("Pictures");
        Enrol();
        var run = StartRun(Brief + "\nwork: {files-in-use: {wait: 1 seconds, then: fail}}\n");
        Field.WaitFor(() => State("Documents") == "failed" && State("Pictures") == "failed", "both failures");
        Field.Run("run", "show", run).Out.ShouldContain("files-in-use: 2 relocations on map-01");
        Field
            .Run("run", "retry", run, "--cause", "target-too-small")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("There is no failure target-too-small in run 1")
            );
        Field.Kill(first);
        Field.Run("run", "retry", run, "--cause", "files-in-use").Out.ShouldContain("2 relocations are tried again");
        Field.WaitFor(() => State("Documents") == "switched" && State("Pictures") == "failed", "the first of them");
        Field
            .Run("run", "skip", run, "--reason", " ")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldNotBe(0),
                o => (o.Out + o.Error).ShouldContain("is skipped with a reason")
            );
        Field.Run("run", "skip", run, "--reason", "she is on leave").Out.ShouldContain("1 relocation is skipped");
        Relocation("Pictures")
            .GetProperty("failure")
            .GetProperty("text")
            .GetString()!
            .ShouldStartWith(
                "The relocation of Pictures of asa.lind was skipped by steward: she is on leave. Before that: "
            );
        Field.Run("run", "follow", run).Out.ShouldContain("1 skipped, 1 switched");
        Field.Run("machine", "list", "--json").Json[0].GetProperty("standing").GetString().ShouldBe("settled");
        Field
            .Run("relocation", "skip", Relocation("Documents").GetProperty("number").ToString(), "--reason", "x")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("is switched and cannot be skipped")
            );
        Field.Kill(second);
        Field
            .Run("relocation", "retry", Relocation("Pictures").GetProperty("number").ToString(), "--follow")
            .Code.ShouldBe(0);
        State("Pictures").ShouldBe("switched");
    }

    [Fact]
    public async Task Of_ten_who_act_at_once_on_a_run_one_is_first_and_the_others_are_told_who_it_was()
    {
        Fill();
        using var open = Open("Documents");
        Enrol();
        var run = long.Parse(
            StartRun(Brief + "\nwork: {files-in-use: {wait: 1 seconds, then: keep-waiting}}\n"),
            System.Globalization.CultureInfo.InvariantCulture
        );
        var people = Enumerable
            .Range(0, 10)
            .Select(i => new FurloughClient(new Uri(Field.Address), Token($"person-{i}", "technician")))
            .ToList();
        foreach (var verb in (string[])["pause", "resume", "pause", "halt"])
        {
            var answers = await Task.WhenAll(
                people.Select(
                    async (p, i) =>
                    {
                        try
                        {
                            await p.SteerRunAsync(run, verb, CancellationToken.None);
                            return (Who: i, Told: (string?)null);
                        }
                        catch (ServiceException refused)
                        {
                            return (Who: i, Told: refused.Message);
                        }
                    }
                )
            );
            var first = answers.Where(a => a.Told is null).ShouldHaveSingleItem().Who;
            foreach (var (_, told) in answers.Where(a => a.Told is not null))
                // A run that is halted may have ended by the time the last of them is answered.
                if (verb != "halt" || !told!.Contains("is ended", StringComparison.Ordinal))
                    told.ShouldNotBeNull().ShouldContain($"by person-{first} at ", customMessage: verb);
        }
        foreach (var person in people)
            person.Dispose();
        var history = Field
            .Run("history", "list", "--about", $"run {run}", "--json")
            .Json.EnumerateArray()
            .Select(h => h.GetProperty("event").GetString())
            .Where(a => a is "run-paused" or "run-resumed" or "run-halted")
            .ToList();
        history.ShouldBe(["run-halted", "run-paused", "run-resumed", "run-paused"]);
    }

    [Fact]
    public async Task Nothing_is_done_to_a_run_that_somebody_else_did_something_to_since_it_was_looked_at()
    {
        Fill();
        using var open = Open("Documents");
        Enrol();
        var run = StartRun(Brief + "\nwork: {files-in-use: {wait: 1 seconds, then: keep-waiting}}\n");
        using var http = new HttpClient { BaseAddress = new Uri(Field.Address) };
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Bearer",
            Token("asa.lind", "technician")
        );
        async Task<EntityTagHeaderValue> LookAsync() =>
            (await http.GetAsync($"/api/v1/runs/{run}")).Headers.ETag.ShouldNotBeNull();
        async Task<(HttpStatusCode Status, string Body)> HaltAsync(EntityTagHeaderValue seen)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, $"/api/v1/runs/{run}/halt")
            {
                Headers = { IfMatch = { seen } },
            };
            using var answer = await http.SendAsync(request);
            return (answer.StatusCode, await answer.Content.ReadAsStringAsync());
        }

        var seen = await LookAsync();
        (await LookAsync()).ShouldBe(seen, "nothing was done");
        Field.RunAs(Token("mara.ostby", "technician"), "run", "pause", run).Code.ShouldBe(0);
        (await HaltAsync(seen)).ShouldSatisfyAllConditions(
            a => a.Status.ShouldBe(HttpStatusCode.PreconditionFailed),
            a => a.Body.ShouldContain("run-changed"),
            a => a.Body.ShouldContain($"Run {run} is not as you saw it any more: run paused by mara.ostby at ")
        );
        Field.Run("run", "show", run).Out.ShouldContain("paused");
        (await HaltAsync(await LookAsync())).ShouldSatisfyAllConditions(
            a => a.Status.ShouldBe(HttpStatusCode.OK, a.Body),
            a => a.Body.ShouldContain("halted")
        );
        Field.Kill(open);
    }

    [Fact]
    public void A_held_machine_begins_nothing_and_goes_on_when_it_is_released()
    {
        Fill();
        Enrol();
        Field.Run("machine", "hold", "map-01", "map-99", "--reason", "x").Error.ShouldContain("no machine map-99");
        Field.Run("machine", "hold", "map-01", "--reason", "exams until noon").Out.ShouldContain("1 machine is held");
        Field.Run("machine", "list").Out.ShouldContain("Held by steward: exams until noon");
        StartRun();
        Field.WaitFor(() => State("Documents") == "waiting", "the wait");
        Relocation("Documents").GetProperty("failure").GetProperty("code").GetString().ShouldBe("machine-held");
        Directory.Exists($"{Tree.Root}/data/People/asa.lind/Documents").ShouldBeFalse();
        Field.Run("machine", "release", "map-01").Code.ShouldBe(0);
        Field.WaitFor(() => State("Documents") == "switched" && State("Pictures") == "switched", "the rest");
    }
}
