using System.Net;
using System.Net.Http.Headers;
using System.Text;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// What anybody on the wire can try: long bodies before they are known, other people's relocations, other names of the
/// service, damaged data folders.
/// </summary>
public sealed class ServiceGuardTests : IDisposable
{
    private readonly Field _field = new();

    public void Dispose() => _field.Dispose();

    [Fact]
    public async Task Who_has_no_session_sends_little_and_a_machine_speaks_of_its_own_only()
    {
        _field.StartServiceProgram();
        using var http = new HttpClient { BaseAddress = new Uri(_field.Address + "/") };
        Post(http, "api/v1/agent/enrol", new string('x', 1_000_000), null)
            .ShouldBe((HttpStatusCode.RequestEntityTooLarge, "body-too-large"));
        Post(http, "api/v1/agent/surveys", new string('x', 30_000_000), null)
            .ShouldBe((HttpStatusCode.Unauthorized, "session-unknown"));
        Post(http, "api/v1/agent/bulletins", new string('x', 30_000_000), "made-up")
            .ShouldBe((HttpStatusCode.Unauthorized, "session-unknown"));
        var client = new AgentClient(http);
        var key = SigningKey.Make();
        var machine = await client.EnrolAsync(
            new EnrolRequest(_field.Invite(), "map-01", "Map Room", key.Public, "machine-1", ProtocolVersion.Newest),
            CancellationToken.None
        );
        var session = (
            await client.OpenSessionAsync(key, machine.Machine, "machine-1", AgentCounters.None, CancellationToken.None)
        ).Token;
        var progress = new Progress(Guid.NewGuid(), 1, Step.Copy, 1, 2, 3, 4, 5, 6, TimeProvider.System.GetUtcNow());
        Should
            .Throw<ServiceException>(() => client.ProgressAsync(session, progress, CancellationToken.None))
            .Code.ShouldBe("docket-not-its-own");
        Should
            .Throw<ServiceException>(() =>
                client.ProgressAsync(session, progress with { BytesDone = long.MaxValue }, CancellationToken.None)
            )
            .ShouldSatisfyAllConditions(
                e => e.Code.ShouldBe("out-of-bounds"),
                e => e.Message.ShouldContain("`bytesDone` of the progress")
            );
        Post(http, "api/v1/agent/progress", new string(' ', 100_000) + "{}", session)
            .ShouldBe((HttpStatusCode.RequestEntityTooLarge, "body-too-large"));
        // Challenges cost nothing, and each is good once.
        for (var i = 0; i < 2_000; i++)
            (await http.PostAsync("api/v1/agent/challenge", null)).EnsureSuccessStatusCode();
        (
            await client.OpenSessionAsync(key, machine.Machine, "machine-1", AgentCounters.None, CancellationToken.None)
        ).Token.ShouldNotBe(session);
        _field
            .Run("machine", "forget", "map-01")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("is forgotten")
            );
        _field.Run("machine", "list", "--json").Json.GetArrayLength().ShouldBe(0);
    }

    [Fact]
    public void A_service_that_is_told_to_stop_while_it_starts_stops_without_complaint_and_starts_again()
    {
        const int killedBeforeItListenedToSignals = 128 + 15;
        foreach (var after in (int[])[100, 300, 500, 800, 1_200, 2_000])
        {
            using var service = Field.Launch(
                "furlough",
                ["service", "start", "--data", Path.Combine(_field.Folder, "service"), "--port", "0"]
            );
            CancellationToken.None.WaitHandle.WaitOne(after);
            System.Diagnostics.Process.Start("kill", ["-TERM", $"{service.Id}"]).WaitForExit();
            Field
                .Finish(service)
                .ShouldSatisfyAllConditions(
                    o => o.Code.ShouldBeOneOf(0, killedBeforeItListenedToSignals),
                    o => o.Error.ShouldBeEmpty()
                );
        }
        _field.StartServiceProgram();
        _field.Run("machine", "list").Code.ShouldBe(0);

        // The mark of a first start that came back, after a power cut: nothing that a machine relies on goes.
        new MadeUpMachine(_field, "fen-12").Dispose();
        _field.StopService().ShouldBe(0);
        File.WriteAllText(Path.Combine(_field.Folder, "service", "beginning"), "");
        _field.StartServiceProgram();
        _field.Run("machine", "list", "--json").Json.GetArrayLength().ShouldBe(1);
        File.Exists(Path.Combine(_field.Folder, "service", "beginning")).ShouldBeFalse();
    }

    [Fact]
    public async Task Errors_carry_the_same_headers_and_unknown_calls_and_hosts_are_told()
    {
        _field.StartServiceProgram();
        using var http = new HttpClient { BaseAddress = new Uri(_field.Address + "/") };
        foreach (
            var (path, status) in ((string, HttpStatusCode)[])
                [
                    ("api/v1/nothing", HttpStatusCode.NotFound),
                    ("api/v2/machines", HttpStatusCode.NotFound),
                    ("api/v1/machines", HttpStatusCode.Unauthorized),
                    ("health/ready", HttpStatusCode.OK),
                ]
        )
        {
            using var answer = await http.GetAsync(path);
            answer.StatusCode.ShouldBe(status, path);
            answer.Headers.GetValues("X-Content-Type-Options").ShouldBe(["nosniff"], path);
            if (path.StartsWith("api", StringComparison.Ordinal))
                answer.Headers.CacheControl!.NoStore.ShouldBeTrue(path);
        }
        using var other = new HttpRequestMessage(HttpMethod.Get, "api/v1/machines");
        other.Headers.Host = "elsewhere.example";
        using var refused = await http.SendAsync(other);
        refused.StatusCode.ShouldBe(HttpStatusCode.MisdirectedRequest);
    }

    [Fact]
    public void A_name_that_could_not_be_removed_again_is_not_taken_and_an_old_one_is_removed()
    {
        _field.StartServiceProgram();
        foreach (var name in (string[])["a/b", "furlough", "Furlough", "x\u202Ey", "what?", "..", " spaced "])
            _field
                .Run("access", "add", name, "--level", "reader")
                .ShouldSatisfyAllConditions(
                    o => o.Code.ShouldBe(2, o.ToString()),
                    o => o.Error.ShouldContain("needs a name")
                );
        _field.Run("access", "add", "room desk", "--level", "reader").Code.ShouldBe(0);
        _field.KillService();
        Sql($"{_field.Folder}/service", "UPDATE Tokens SET Name='desk/old' WHERE Name='room desk'");
        _field.StartServiceProgram();
        _field.Run("access", "revoke", "desk/old").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
    }

    [Fact]
    public void A_data_folder_is_one_services_and_whole_or_the_service_does_not_start()
    {
        _field.StartServiceProgram();
        var data = $"{_field.Folder}/service";
        Start(data).ShouldContain("Another service works with the data folder");
        _field.KillService();
        Furlough
            .Platform.Tests.LinuxTree.Sh($"stat -c %a {data}; stat -c %a {data}/* | grep -v 00$ || true")
            .ShouldBe("700\n");
        Sql(data, "PRAGMA wal_checkpoint(TRUNCATE)");
        File.Move($"{data}/service-key", $"{data}/key-away");
        Start(data).ShouldContain("but no service-key");
        File.Move($"{data}/key-away", $"{data}/service-key");
        File.Move($"{data}/furlough.db", $"{data}/db-away");
        Start(data).ShouldContain("but no furlough.db");
        File.WriteAllText($"{data}/furlough.db", "");
        Start(data).ShouldContain("an empty furlough.db");
        File.Move($"{data}/db-away", $"{data}/furlough.db", overwrite: true);
        Sql(data, "INSERT INTO __EFMigrationsHistory VALUES ('29990101000000_Later', '99')");
        Start(data).ShouldContain("written by a newer version");
    }

    /// <summary>What control characters would do to a terminal they do not do.</summary>
    [Fact]
    public async Task What_machines_are_called_cannot_speak_to_the_terminal()
    {
        _field.StartServiceProgram();
        using var http = new HttpClient { BaseAddress = new Uri(_field.Address + "/") };
        var client = new AgentClient(http);
        var key = SigningKey.Make();
        var machine = await client.EnrolAsync(
            new EnrolRequest(_field.Invite(), "map-01", "Map Room", key.Public, "machine-1", ProtocolVersion.Newest),
            CancellationToken.None
        );
        var session = (
            await client.OpenSessionAsync(key, machine.Machine, "machine-1", AgentCounters.None, CancellationToken.None)
        ).Token;
        const string hostile = "\u001b]0;owned\u0007\u001b[2J\u009b31m\u202Egnp.exe";
        await client.SurveyAsync(
            session,
            new Survey(TimeProvider.System.GetUtcNow(), hostile, "1", [], [], [], [], [], [hostile]),
            CancellationToken.None
        );
        foreach (
            var arguments in (string[][])
                [
                    ["machine", "show", "map-01"],
                    ["machine", "list"],
                    ["machine", "show", "map-01", "--csv"],
                    ["machine", "show", "map-01", "--json"],
                    ["machine", "list", "--csv"],
                ]
        )
        {
            var told = _field.Run(arguments);
            told.Code.ShouldBe(0, told.ToString());
            (told.Out + told.Error)
                .Where(c => (char.IsControl(c) && c is not ('\n' or '\r' or '\t')) || c is '\u202E')
                .Select(c => $"U+{(int)c:X4}")
                .Distinct()
                .ShouldBeEmpty(string.Join(' ', arguments));
        }
        _field
            .Run("machine", "show", "map-01", "--json")
            .Json.GetProperty("machine")
            .GetProperty("operatingSystem")
            .GetString()
            .ShouldBe(hostile);
    }

    private static void Sql(string data, string statement)
    {
        using var db = new SqliteConnection($"Data Source={data}/furlough.db;Pooling=False");
        db.Open();
        using var command = db.CreateCommand();
#pragma warning disable CA2100 // The statements stand in this file.
        command.CommandText = statement;
#pragma warning restore CA2100
        command.ExecuteNonQuery();
    }

    private static string Start(string data)
    {
        using var process = Field.Launch("furlough", ["service", "start", "--data", data, "--port", "0"]);
        var error = process.StandardError.ReadToEndAsync();
        process.WaitForExit(20_000).ShouldBeTrue("it refuses to start");
        return error.GetAwaiter().GetResult();
    }

    private static (HttpStatusCode, string) Post(HttpClient http, string path, string body, string? session)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, path)
        {
            Content = new StringContent(body, Encoding.UTF8, "application/json"),
        };
        request.Headers.ExpectContinue = true;
        if (session is not null)
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", session);
        using var answer = http.SendAsync(request).GetAwaiter().GetResult();
        using var told = System.Text.Json.JsonDocument.Parse(
            answer.Content.ReadAsStringAsync().GetAwaiter().GetResult()
        );
        return (answer.StatusCode, told.RootElement.GetProperty("code").GetString()!);
    }
}
