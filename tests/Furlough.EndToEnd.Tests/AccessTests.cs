using System.Net;
using System.Net.Http.Json;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Tokens and console sessions: roles, ends, revocation, attempts.</summary>
public sealed class AccessTests : IDisposable
{
    private readonly Field _field = new();

    public AccessTests() => _field.StartService();

    public void Dispose() => _field.Dispose();

    private string Add(string name, string role) => _field.Run("access", "add", name, "--level", role).Out.Trim();

    [Fact]
    public void Every_role_may_what_it_should_and_is_told_when_it_may_not()
    {
        var (reader, technician, approver) = (
            Add("pim.alder", "reader"),
            Add("asa.lind", "technician"),
            Add("mara.ostby", "approver")
        );
        _field.RunAs(reader, "machine", "list").Code.ShouldBe(0);
        _field
            .RunAs(reader, "audit", "make")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("pim.alder has the access level reader; this needs technician or steward.")
            );
        _field.RunAs(technician, "audit", "make").Code.ShouldBe(0);
        _field.RunAs(technician, "access", "add", "x", "--level", "steward").Code.ShouldBe(5);
        _field.RunAs(technician, "access", "list").Code.ShouldBe(5);
        _field.RunAs(approver, "audit", "make").Code.ShouldBe(5);
        _field
            .Run("access", "add", "asa.lind", "--level", "reader")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("There is a token called asa.lind already")
            );
        _field
            .Run("access", "add", "x", "--level", "reader", "--days", "0")
            .Error.ShouldContain("valid for 1 to 3650 days");
        _field.Run("access", "add", "a\u0007b", "--level", "reader").Error.ShouldContain("needs a name");
        _field
            .Run("access", "list")
            .ShouldSatisfyAllConditions(
                o => o.Out.ShouldContain("pim.alder"),
                o => o.Out.ShouldNotContain(reader),
                o => o.Out.ShouldContain("no expiry")
            );
    }

    [Fact]
    public async Task A_revoked_token_and_its_console_sessions_end_and_the_last_steward_stays()
    {
        var token = Add("asa.lind", "technician");
        using var console = new HttpClient { BaseAddress = new Uri(_field.Address) };
        (await console.PostAsJsonAsync("/api/v1/session", new { token })).StatusCode.ShouldBe(HttpStatusCode.OK);
        (await console.GetAsync("/api/v1/machines")).StatusCode.ShouldBe(HttpStatusCode.OK);
        _field.Run("access", "revoke", "asa.lind").Out.ShouldContain("The token of asa.lind is revoked.");
        (await console.GetAsync("/api/v1/machines")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        _field
            .RunAs(token, "machine", "list")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("needs a token"));
        _field
            .Run("access", "revoke", "asa.lind")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(5), o => o.Error.ShouldContain("was revoked at"));
        _field
            .Run("access", "revoke", "steward")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(5),
                o => o.Error.ShouldContain("steward is the last steward")
            );
        var second = Add("keeper", "steward");
        _field.RunAs(second, "access", "revoke", "steward").Code.ShouldBe(0);
        _field
            .RunAs(second, "history", "list")
            .ShouldSatisfyAllConditions(o => o.Out.ShouldContain("token revoked"), o => o.Out.ShouldContain("keeper"));
    }

    [Fact]
    public async Task A_token_that_became_known_is_replaced_the_stewards_own_too_and_a_lost_one_at_the_server()
    {
        var old = Add("asa.lind", "technician");
        using var console = new HttpClient { BaseAddress = new Uri(_field.Address) };
        (await console.PostAsJsonAsync("/api/v1/session", new { token = old })).StatusCode.ShouldBe(HttpStatusCode.OK);
        var fresh = _field.Run("access", "replace", "asa.lind").Out.Trim();
        fresh.ShouldStartWith("flt-");
        _field.RunAs(old, "machine", "list").Code.ShouldBe(5);
        (await console.GetAsync("/api/v1/machines")).StatusCode.ShouldBe(HttpStatusCode.Unauthorized);
        _field.RunAs(fresh, "machine", "list").Code.ShouldBe(0);
        _field.RunAs(fresh, "access", "replace", "steward").Code.ShouldBe(5);
        _field.Run("access", "replace", "nobody").Error.ShouldContain("furlough access list");

        var steward = _field.Run("access", "replace", "steward").Out.Trim();
        _field.Run("access", "list").Code.ShouldBe(5, "the file of the first start holds the former token");
        _field.RunAs(steward, "access", "list").Out.ShouldContain("steward");

        var data = Path.Combine(_field.Folder, "service");
        _field
            .RunAs(steward, "service", "replace-steward-token", "--data", data)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1),
                o => o.Error.ShouldContain("Another service works with the data folder")
            );
        _field.StopService().ShouldBe(0);
        _field
            .RunAs("", "service", "replace-steward-token", "--data", Path.Combine(_field.Folder, "elsewhere"))
            .Error.ShouldContain("there is no service's data");
        _field
            .RunAs("", "service", "replace-steward-token", "--data", data)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("steward-token")
            );
        _field.StartService();
        _field.Run("access", "list").Code.ShouldBe(0);
        _field.RunAs(steward, "access", "list").Code.ShouldBe(5);
        _field.Run("history", "list").Out.ShouldContain("at the server");
    }

    [Fact]
    public async Task Whoever_listens_hears_nothing_any_more_once_the_token_is_revoked()
    {
        var token = Add("asa.lind", "technician");
        using var console = new HttpClient { BaseAddress = new Uri(_field.Address) };
        console.DefaultRequestHeaders.Authorization = new("Bearer", token);
        using var events = new StreamReader(await console.GetStreamAsync("/api/v1/events"));
        (await events.ReadLineAsync())!.ShouldContain("listening");
        _field.Run("access", "revoke", "asa.lind").Code.ShouldBe(0);
        using var rest = new CancellationTokenSource(TimeSpan.FromSeconds(60));
        var heard = events.ReadToEndAsync(rest.Token);
        Field.WaitFor(
            () =>
            {
                _field.Run("audit", "make");
                return heard.IsCompleted;
            },
            "the end of what is heard",
            60
        );
        await heard;
    }

    [Fact]
    public async Task Whoever_tries_too_many_tokens_has_to_wait()
    {
        using var console = new HttpClient { BaseAddress = new Uri(_field.Address) };
        List<HttpStatusCode> answers = [];
        for (var i = 0; i < 40; i++)
        {
            using var answer = await console.PostAsJsonAsync("/api/v1/session", new { token = $"flt-{i}" });
            answers.Add(answer.StatusCode);
            if (answer.StatusCode == HttpStatusCode.TooManyRequests)
                (await answer.Content.ReadAsStringAsync()).ShouldContain("too-many-attempts");
        }
        answers.Count(a => a == HttpStatusCode.Unauthorized).ShouldBe(30);
        answers[^1].ShouldBe(HttpStatusCode.TooManyRequests);
        _field.Run("machine", "list").Code.ShouldBe(0, "anyone who has a token already is not concerned");
    }
}
