using System.Net;
using System.Net.Http.Headers;
using System.Net.Sockets;
using System.Text.Json;
using System.Text.RegularExpressions;
using Furlough.Platform.Tests;
using Microsoft.Data.Sqlite;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>What supervisors read of a service: figures, health, logs, traces.</summary>
public sealed partial class MetricsTests : RealDesk
{
    private static readonly HttpClient Http = new();

    private static int FreePort()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }

    private void Restart(params string[] settings)
    {
        Field.StopService();
        Field.StartServiceProgram(settings);
    }

    private static async Task<(int Status, string Text)> GetAsync(string address, string? token = null)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, address);
        if (token is not null)
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
        using var answer = await Http.SendAsync(request, TestContext.Current.CancellationToken);
        return ((int)answer.StatusCode, await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken));
    }

    [GeneratedRegex("""^(furlough_\w+)\{(.*)\} (\S+)$""", RegexOptions.Multiline)]
    private static partial Regex Value();

    [GeneratedRegex("furlough_[a-z_]+")]
    private static partial Regex Named();

    private static string ValueOf(string figures, string name, string label = "") =>
        Value()
            .Matches(figures)
            .Single(m => m.Groups[1].Value == name && m.Groups[2].Value.Contains(label))
            .Groups[3]
            .Value;

    [Fact]
    public async Task Figures_are_true_need_a_token_or_their_own_port_and_all_of_them_are_documented()
    {
        var port = FreePort();
        Restart("--metrics-port", $"{port}", "--backup-folder", $"{Field.Folder}/backups");
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        StartAgentAndRun().Code.ShouldBe(0);
        Field.Run("audit", "make").Code.ShouldBe(0);
        Field.WaitFor(() => Directory.Exists($"{Field.Folder}/backups"), "a backup");

        (await GetAsync($"{Field.Address}/metrics")).Status.ShouldBe(401);
        var reader = Field.Run("access", "add", "pim.alder", "--level", "reader").Out.Trim();
        (await GetAsync($"{Field.Address}/metrics", reader)).Text.ShouldContain("furlough_machines");
        var own = $"http://127.0.0.1:{port}";
        (await GetAsync($"{own}/health/live")).Text.ShouldBe("live");
        (await GetAsync($"{own}/health/ready")).Text.ShouldBe("ready");
        foreach (var other in (string[])["/", "/api/v1/status", "/sign-in/begin", "/metrics/x"])
            (await GetAsync(own + other, Field.Token)).Status.ShouldBe(404, other);

        var (status, figures) = await GetAsync($"{own}/metrics");
        status.ShouldBe(200);
        ValueOf(figures, "furlough_relocations", "switched").ShouldBe("2");
        ValueOf(figures, "furlough_relocations", "failed").ShouldBe("0");
        ValueOf(figures, "furlough_runs", "ended").ShouldBe("1");
        ValueOf(figures, "furlough_originals", "later").ShouldBe("2");
        ValueOf(figures, "furlough_refusals_total", "not-signed-in").ShouldBe("1");
        int.Parse(ValueOf(figures, "furlough_bulletins_total")).ShouldBeGreaterThan(10);
        Value()
            .Matches(figures)
            .Where(m => m.Groups[1].Value == "furlough_machines")
            .Sum(m => int.Parse(m.Groups[3].Value))
            .ShouldBe(1);

        // The pages name every figure, and rules and board no others.
        var docs = Path.Combine(Field.Repository, "docs");
        string Read(string file) => File.ReadAllText(Path.Combine(docs, file));
        List<string> NamesIn(string text) =>
            [.. Named().Matches(text).Select(m => Regex.Replace(m.Value, "_(bucket|sum|count)$", "")).Distinct()];
        var documented = NamesIn(Read("operations.md"));
        NamesIn(figures).ShouldBeSubsetOf(documented);
        foreach (var file in (string[])["operations/alerts.yaml", "operations/board.json"])
            NamesIn(Read(file)).ShouldBeSubsetOf(documented, file);
        // Those that need a certificate or something unforeseen have nothing to show here.
        documented
            .Except(NamesIn(figures))
            .ShouldBe(["furlough_certificate_end_seconds", "furlough_unforeseen_total"], ignoreOrder: true);
        Read("operations/alerts.yaml").Split("- alert:").Length.ShouldBeGreaterThan(12);
    }

    [Fact]
    public void One_correlation_leads_from_the_command_over_log_and_history_to_the_machine()
    {
        Restart("--log-json", "true");
        Tree.FillHard($"{Tree.Home}/Documents", 30);
        Tree.FillHard($"{Tree.Home}/Pictures", 30);
        var agent = Enrol();
        var run = StartRun();
        Field.Run("run", "follow", run).Code.ShouldBe(0);

        var log = Directory
            .GetFiles($"{Field.Folder}/service/log")
            .SelectMany(ReadShared)
            .Where(l => l.StartsWith('{'))
            .Select(l => JsonDocument.Parse(l).RootElement)
            .ToList();
        string Of(JsonElement line) => line.GetProperty("Correlation").GetString()!;
        List<JsonElement> Events(string name) =>
            log.FindAll(l =>
                l.TryGetProperty("EventId", out var e) && e.TryGetProperty("Name", out var n) && n.GetString() == name
            );
        var started = Events("run-started").ShouldHaveSingleItem();
        started.GetProperty("By").GetString().ShouldBe("steward");
        var correlation = Of(started);
        correlation.Length.ShouldBe(32);
        Events("state-changed").Count.ShouldBeGreaterThan(3);
        Events("state-changed").Select(Of).Distinct().ShouldBe([correlation]);
        Of(Events("plan-made").ShouldHaveSingleItem()).ShouldNotBe(correlation, "another command");
        Of(Events("enrolled").ShouldHaveSingleItem()).ShouldNotBe(correlation);

        Field
            .Run("history", "list", "--json")
            .Json.EnumerateArray()
            .Where(h => h.GetProperty("event").GetString() is "run-started" or "state-changed")
            .ShouldAllBe(h => h.GetProperty("correlation").GetString() == correlation);
        using var journal = new SqliteConnection($"Data Source={Field.Folder}/map-01/agent.db;Mode=ReadOnly");
        journal.Open();
        using var command = journal.CreateCommand();
        command.CommandText = "SELECT DISTINCT json_extract(body,'$.correlation') FROM docket";
        command.ExecuteScalar().ShouldBe(correlation);
        Field.WaitForLog(agent, $"({correlation})");
    }

    /// <summary>The service has the file open.</summary>
    private static List<string> ReadShared(string file)
    {
        using var open = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
        using var reader = new StreamReader(open);
        return [.. reader.ReadToEnd().Split('\n', StringSplitOptions.RemoveEmptyEntries)];
    }

    [Fact]
    public void A_collector_gets_figures_and_traces()
    {
        var port = FreePort();
        using var collector = new HttpListener { Prefixes = { $"http://127.0.0.1:{port}/" } };
        collector.Start();
        var got = new System.Collections.Concurrent.ConcurrentDictionary<string, long>();
        _ = Task.Run(async () =>
        {
            while (collector.IsListening)
            {
                var call = await collector.GetContextAsync();
                got[call.Request.Url!.AbsolutePath] = call.Request.ContentLength64;
                call.Response.StatusCode = 200;
                call.Response.Close();
            }
        });
        Restart("--otlp-address", $"http://127.0.0.1:{port}");
        Field.Run("machine", "list").Code.ShouldBe(0);
        // What is left is handed over at the end.
        Field.WaitFor(() => got.ContainsKey("/v1/traces"), "traces");
        Field.StopService();
        Field.WaitFor(() => got.ContainsKey("/v1/metrics"), "figures");
        Field.StartServiceProgram();
    }

    [Fact]
    public async Task A_full_volume_is_told_before_the_service_cannot_write_any_more()
    {
        using var small = new LinuxTree("ext4", 160);
        Field.StopService();
        LinuxTree.Sh($"mkdir {small.Root}/data/service");
        using var other = new Field();
        LinuxTree.Sh($"ln -s {small.Root}/data/service {other.Folder}/service");
        other.StartService();
        (await GetAsync($"{other.Address}/health/ready")).Status.ShouldBe(200);
        LinuxTree.Sh($"fallocate -l 60M {small.Root}/data/filler");
        (await GetAsync($"{other.Address}/health/ready")).ShouldSatisfyAllConditions(
            r => r.Status.ShouldBe(503),
            r => r.Text.ShouldContain("Less than 100 MiB are free")
        );
        (await GetAsync($"{other.Address}/health/live")).Text.ShouldBe("live");
        LinuxTree.Sh($"rm {small.Root}/data/filler");
        (await GetAsync($"{other.Address}/health/ready")).Status.ShouldBe(200);
        other.StopService();
        Field.StartService();
    }
}
