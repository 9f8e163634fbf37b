using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Furlough.Contracts;
using Furlough.Model;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// Texts, surveys, bulletins and names that a generator makes up from real ones, ten for each seed: the service answers
/// each, refuses what it does not want, goes on in the memory that it is given, and shows every other machine as
/// before.
/// </summary>
public sealed class GeneratedMonsterTests(ITestOutputHelper output) : IDisposable
{
    private const int PerSeed = 10,
        SmallestLimit = 4 << 10;
    private const long MostMegabytes = 300;

    private static readonly string[] Words =
    [
        "? ",
        "- ",
        "[",
        "{",
        "]",
        "}",
        ": ",
        "&a ",
        "*a",
        "!!binary ",
        "|\n  ",
        "> \n ",
        "\"",
        "'",
        "\t",
        "\r\n",
        "\u0000",
        "\u202e",
        "\ud83d\ude00",
        "%",
        "#",
        "---\n",
        "0x7fffffffffffffff",
        "1e999",
        "-1",
        "9223372036854775808",
        "null",
        "~",
        "FREQ=SECONDLY",
        ";BYSETPOS=-1",
        ";COUNT=2147483647",
        "DTSTART:00010101T000000\n",
        "BEGIN:VEVENT\n",
        "\u001b[2J",
        "../..",
        "{account}",
    ];

    private readonly Field _field = new();
    private readonly HttpClient _http = new() { Timeout = TimeSpan.FromSeconds(30) };
    private TimeSpan _slowest;

    public void Dispose()
    {
        _http.Dispose();
        _field.Dispose();
    }

    [Fact]
    [Trait("Category", "soak")]
    public async Task Whatever_is_sent_is_answered_and_hides_nobody_else()
    {
        _field.StartServiceProgram();
        _http.BaseAddress = new Uri(_field.Address + "/api/v1/");
        using var witness = new MadeUpMachine(_field, "map-01");
        witness.Survey(MadeUpSurvey.Usual());
        using var liar = new MadeUpMachine(_field, "map-02");
        foreach (var seed in Soak.Seeds("monsters", 40, 10_000))
        {
            var random = new Random(seed);
            for (var i = 0; i < PerSeed; i++)
            {
                var (path, body, session) = Monster(random, liar.Session);
                var status = await SendAsync(path, body, session);
                if ((int)status < 500)
                    continue;
                var kept = Path.Combine(Path.GetTempPath(), $"furlough-monster-{seed}");
                await File.WriteAllTextAsync(kept, body, TestContext.Current.CancellationToken);
                ((int)status).ShouldBeLessThan(500, $"seed {seed}: {path}, with what is kept in {kept}");
            }
            if (seed % 20 == 0)
                await LookAsync($"after seed {seed}");
        }
        output.WriteLine(
            $"slowest answer {_slowest.TotalMilliseconds.ToString("F0", CultureInfo.InvariantCulture)} ms, {Megabytes()} MB"
        );
    }

    private async Task<System.Net.HttpStatusCode> SendAsync(string path, string body, string session)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, path)
        {
            Content = new ByteArrayContent(Encoding.UTF8.GetBytes(body)),
        };
        request.Content.Headers.ContentType = new MediaTypeHeaderValue("application/json");
        request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", session);
        var began = Stopwatch.GetTimestamp();
        HttpResponseMessage sent;
        try
        {
            sent = await _http.SendAsync(request, TestContext.Current.CancellationToken);
        }
        // Too long for its call: the service has answered and hung up while the rest was still being sent.
        catch (HttpRequestException cut) when (cut.InnerException is IOException && body.Length > SmallestLimit)
        {
            return System.Net.HttpStatusCode.RequestEntityTooLarge;
        }
        using var answer = sent;
        await answer.Content.ReadAsByteArrayAsync(TestContext.Current.CancellationToken);
        var took = Stopwatch.GetElapsedTime(began);
        if (took > _slowest)
            _slowest = took;
        return answer.StatusCode;
    }

    /// <summary>Everybody else is shown, whole, and the service has not grown.</summary>
    private async Task LookAsync(string when)
    {
        foreach (
            var page in (string[])
                ["machines", "machines/map-01", "machines/map-02", "space", "rooms/Map%20Room", "history", "status"]
        )
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, page);
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", _field.Token);
            using var answer = await _http.SendAsync(request, TestContext.Current.CancellationToken);
            if (page == "rooms/Map%20Room" && answer.StatusCode == System.Net.HttpStatusCode.NotFound)
                continue;
            ((int)answer.StatusCode).ShouldBe(200, $"{page} {when}");
            var text = await answer.Content.ReadAsStringAsync(TestContext.Current.CancellationToken);
            if (page is "machines" or "machines/map-01")
                text.ShouldContain("map-01");
        }
        Megabytes().ShouldBeLessThan(MostMegabytes, when);
    }

    private long Megabytes() =>
        long.Parse(
            File.ReadLines($"/proc/{_field.ServiceId}/status")
                .First(l => l.StartsWith("VmRSS:", StringComparison.Ordinal))
                .Split(' ', StringSplitOptions.RemoveEmptyEntries)[1],
            CultureInfo.InvariantCulture
        ) / 1024;

    private (string Path, string Body, string Session) Monster(Random random, string session) =>
        random.Next(9) switch
        {
            0 or 1 => ("briefs/check", Json("brief", Text(random, Brief(random))), _field.Token),
            2 => (
                "kinds/check",
                Json(
                    "card",
                    Text(
                        random,
                        "furlough-kind: 1\nname: sketches\nholds: library\npointers:\n  - {file: "
                            + ".config/sketcher.ini, syntax: ini, key: paths/sketches}\n"
                    )
                ),
                _field.Token
            ),
            3 or 4 => (
                "agent/surveys",
                Node(random, JsonSerializer.Serialize(MadeUpSurvey.Usual(), ModelJson.Default.Survey)),
                session
            ),
            5 => (
                "agent/bulletins",
                Node(
                    random,
                    JsonSerializer.Serialize(
                        [
                            new Bulletin(
                                1 + random.Next(3),
                                TimeProvider.System.GetUtcNow(),
                                Guid.NewGuid(),
                                random.Next(3),
                                RelocationState.Switched,
                                null,
                                Live.Target,
                                new Failure("a", "b", "c", "d"),
                                [],
                                null,
                                ["note"]
                            ),
                        ],
                        ModelJson.Default.IReadOnlyListBulletin
                    )
                ),
                session
            ),
            6 => ("agent/known-dockets", Node(random, """["a.b.c", "x"]"""), session),
            7 => (
                "tokens",
                Json("name", Text(random, "looks on"), ("level", random.Next(2) == 0 ? "reader" : Text(random, "x"))),
                _field.Token
            ),
            _ => (
                "machines/tag",
                Node(random, """{"machines": ["map-02", "room:Map Room"], "tag": "imaging"}"""),
                _field.Token
            ),
        };

    private static string Json(string name, string value, params ReadOnlySpan<(string, string)> more)
    {
        var body = new JsonObject { [name] = value };
        foreach (var (key, text) in more)
            body[key] = text;
        return body.ToJsonString();
    }

    private static string Brief(Random random) =>
        $"""
            furlough-brief: 1
            title: One desk
            machines: all
            volumes: {"{"}roomy: {"{"}system: false{"}}"}
            relocate:
              - {"{"}folders: [Documents], onto: roomy, path: "People/{"{account}/{folder}"}"{"}"}
            hours: |
              BEGIN:VCALENDAR
              VERSION:2.0
              BEGIN:VEVENT
              UID:1
              DTSTART:{random.Next(1, 2100):D4}0101T{random.Next(24):D2}0000
              DURATION:PT{random.Next(1, 100)}H
              RRULE:FREQ={Pick(random, "SECONDLY", "MINUTELY", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY")}{(
                random.Next(2) == 0 ? "" : ";INTERVAL=" + random.Next(-1, 400)
            )}{(random.Next(2) == 0 ? "" : ";BYHOUR=" + string.Join(',', Enumerable.Range(0, random.Next(1, 24))))}{(
                random.Next(2) == 0 ? "" : ";BYMINUTE=" + string.Join(',', Enumerable.Range(0, random.Next(1, 60)))
            )}{(random.Next(3) > 0 ? "" : ";BYSETPOS=" + random.Next(-366, 366))}{(
                random.Next(3) > 0 ? "" : ";BYDAY=" + Pick(random, "MO", "1MO,-1SU", "53WE", "XX")
            )}{(random.Next(3) > 0 ? "" : ";COUNT=" + random.Next())}
              END:VEVENT
              END:VCALENDAR
            """;

    private static string Pick(Random random, params string[] of) => of[random.Next(of.Length)];

    /// <summary>A text with pieces doubled, cut out, swapped or put in, now and then very many of one.</summary>
    private static string Text(Random random, string text)
    {
        var made = new StringBuilder(text);
        for (var changes = random.Next(1, 6); changes > 0; changes--)
        {
            var at = random.Next(made.Length + 1);
            switch (random.Next(6))
            {
                case 0:
                    made.Insert(at, Pick(random, Words));
                    break;
                case 1:
                    made.Insert(
                        at,
                        string.Concat(
                            Enumerable.Repeat(Pick(random, Words), random.Next(1, random.Next(8) == 0 ? 30_000 : 60))
                        )
                    );
                    break;
                case 2:
                    made.Remove(at, Math.Min(random.Next(20), made.Length - at));
                    break;
                case 3:
                    made.Insert(at, text);
                    break;
                case 4 when made.Length > 0:
                    made[Math.Min(at, made.Length - 1)] = (char)random.Next(1, 0xD7FF);
                    break;
                default:
                    made.Insert(at, made.ToString(0, Math.Min(made.Length, random.Next(200))));
                    break;
            }
            if (made.Length > 150_000)
                made.Length = 150_000;
        }
        return made.ToString();
    }

    /// <summary>A document with some of its parts replaced by what they cannot be, or its text spoilt.</summary>
    private static string Node(Random random, string json)
    {
        if (random.Next(5) == 0)
            return Text(random, json);
        var root = JsonNode.Parse(json)!;
        for (var changes = random.Next(1, 4); changes > 0; changes--)
        {
            List<JsonNode> inside = [.. Below(root)];
            if (inside.Count == 0)
                break;
            var node = inside[random.Next(inside.Count)];
            JsonNode? other = random.Next(12) switch
            {
                0 => null,
                1 => JsonValue.Create(Pick(random, Words)),
                2 => JsonValue.Create(long.MaxValue),
                3 => JsonValue.Create(-1),
                4 => JsonValue.Create(1e300),
                5 => JsonValue.Create(new string('x', random.Next(1, 200_000))),
                6 => new JsonArray([.. Enumerable.Range(0, random.Next(1, 3_000)).Select(_ => (JsonNode?)null)]),
                7 => new JsonArray([.. Enumerable.Range(0, random.Next(1, 300)).Select(_ => node.DeepClone())]),
                8 => new JsonObject { ["x"] = node.DeepClone() },
                9 => JsonValue.Create("0001-01-01T00:00:00Z"),
                10 => JsonValue.Create(Text(random, "asa.lind")),
                _ => Nested(random.Next(1, 60)),
            };
            if (node.Parent is JsonArray list)
                list[node.GetElementIndex()] = other;
            else
                node.Parent!.AsObject()[node.GetPropertyName()] = other;
        }
        return root.ToJsonString(new JsonSerializerOptions { MaxDepth = 500 });
    }

    private static JsonNode Nested(int levels)
    {
        JsonNode made = new JsonArray();
        for (; levels > 0; levels--)
            made = new JsonArray(made);
        return made;
    }

    private static IEnumerable<JsonNode> Below(JsonNode node) =>
        (
            node switch
            {
                JsonObject o => o.Select(p => p.Value),
                JsonArray a => a,
                _ => [],
            }
        )
            .OfType<JsonNode>()
            .SelectMany(n => Below(n).Prepend(n));
}
