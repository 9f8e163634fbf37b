using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Furlough.Service.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// Every call of the API, as its own description lists them, with whatever it does not want: a clear refusal each time,
/// and everything stays as it was.
/// </summary>
public sealed class HostileInputTests : IDisposable
{
    private static readonly string[] AgentCalls = ["enrol", "session", "permits", "bulletins", "progress", "surveys"];
    private static readonly string[] Names =
    [
        "0",
        "-1",
        "99999999999999999999",
        "1e3",
        "%01",
        "..%2F..%2Fetc",
        "%3Cimg%20src%3Dx%3E",
        "%E2%80%AEgnp",
        new string('n', 3_000),
    ];

    private readonly Field _field = new();
    private readonly HttpClient _http = new();

    public HostileInputTests()
    {
        _field.StartServiceProgram();
        _http.BaseAddress = new Uri(_field.Address);
    }

    public void Dispose()
    {
        _http.Dispose();
        _field.Dispose();
    }

    private sealed record Call(HttpMethod Method, string Path, JsonObject? Body)
    {
        internal string At(string name) => System.Text.RegularExpressions.Regex.Replace(Path, @"\{\w+\}", name);
    }

    [Fact]
    public async Task Bodies_of_the_wrong_kind_are_refused_by_every_call_and_change_nothing()
    {
        var before = State();
        var calls = (await CallsAsync())
            .Where(c => c.Body is not null)
            .Concat(AgentCalls.Select(a => new Call(HttpMethod.Post, $"/api/v1/agent/{a}", [])))
            .ToList();
        calls.Count.ShouldBeGreaterThan(20);
        List<string> wrong = [];
        foreach (var call in calls)
        foreach (var (what, body) in WrongBodies(call.Body!))
            if (await WrongAsync(call.Method, call.At("1"), _field.Token, body) is { } answer)
                wrong.Add($"{call.Method} {call.Path} with {what}: {answer}");
        wrong.ShouldBeEmpty();
        State().ShouldBe(before);
    }

    [Fact]
    public async Task Names_and_numbers_that_cannot_be_are_refused_by_every_call()
    {
        var before = State();
        List<string> wrong = [];
        foreach (var call in (await CallsAsync()).Where(c => c.Path.Contains('{')))
        foreach (var name in Names)
        {
            var body = call.Body is null ? null : Content(Filled(call.Body, "text").ToJsonString());
            // A room is what machines say it is: one that has none is shown as empty.
            if (
                !call.Path.Contains("{room}")
                && await WrongAsync(call.Method, call.At(name), _field.Token, body) is { } answer
            )
                wrong.Add($"{call.Method} {call.Path} at {name[..Math.Min(30, name.Length)]}: {answer}");
        }
        wrong.ShouldBeEmpty();
        State().ShouldBe(before);
    }

    [Fact]
    public async Task Without_a_token_or_with_too_small_a_role_no_call_does_anything()
    {
        var reader = _field.Run("access", "add", "pim.alder", "--level", "reader").Out.Trim();
        var before = State();
        List<string> wrong = [];
        // By some of them one signs in.
        foreach (
            var call in (await CallsAsync()).Where(c =>
                !c.Path.EndsWith("/session", StringComparison.Ordinal)
                && !c.Path.Contains("/sign-in", StringComparison.Ordinal)
            )
        )
        {
            var body = call.Body is null ? "" : Filled(call.Body, "text").ToJsonString();
            foreach (
                var (who, token, expected) in ((string, string?, HttpStatusCode)[])
                    [
                        ("nobody", null, HttpStatusCode.Unauthorized),
                        ("a made-up token", "flt-x", HttpStatusCode.Unauthorized),
                        ("a reader", reader, HttpStatusCode.Forbidden),
                    ]
            )
            {
                if (who == "a reader" && (call.Method == HttpMethod.Get || IsQuestion(call.Path)))
                    continue;
                using var answer = await SendAsync(
                    call.Method,
                    call.At("1"),
                    token,
                    call.Body is null ? null : Content(body)
                );
                if (
                    answer.StatusCode != expected
                    && !(
                        expected == HttpStatusCode.Forbidden
                        && call.Path.EndsWith("/tokens", StringComparison.Ordinal)
                        && call.Method == HttpMethod.Get
                    )
                )
                    wrong.Add($"{call.Method} {call.Path} by {who}: {(int)answer.StatusCode}");
            }
        }
        wrong.ShouldBeEmpty();
        State().ShouldBe(before);
    }

    [Fact]
    public async Task Agents_that_are_nobody_and_what_they_forge_are_refused()
    {
        var before = State();
        foreach (var call in AgentCalls.Where(c => c is not ("enrol" or "session")))
        foreach (var token in (string?[])[null, "fls-made-up", _field.Token])
        {
            var body =
                call == "bulletins"
                    ? """
                        [{"number":1,"at":"2026-11-05T17:00:00Z","docket":"00000000-0000-0000-0000-000000000001",
                          "relocation":1,"state":"switched","step":null,"live":"target","failure":null,"pointers":[],
                          "original":null,"notes":[]}]
                        """
                    : "{}";
            using var answer = await SendAsync(HttpMethod.Post, $"/api/v1/agent/{call}", token, Content(body));
            answer.StatusCode.ShouldBeOneOf(HttpStatusCode.Unauthorized, HttpStatusCode.BadRequest);
        }
        State().ShouldBe(before);
    }

    [Fact]
    public void A_name_that_would_deceive_whoever_reads_it_enrols_no_machine()
    {
        var root = Directory.CreateDirectory(Path.Combine(_field.Folder, "root")).FullName;
        var code = _field.Invite();
        foreach (var name in (string[])["desk\u202e1", "desk\u200b", " desk", "", new string('d', 101)])
            _field
                .RunAgent(
                    "--service",
                    _field.Address,
                    "--root",
                    root,
                    "--data",
                    Path.Combine(_field.Folder, "agent"),
                    "--name",
                    name,
                    "--room",
                    "Map Room",
                    "--code-file",
                    _field.CodeFile(code)
                )
                .ShouldSatisfyAllConditions(
                    o => o.Code.ShouldNotBe(0),
                    o => o.Error.ShouldContain("A machine needs a name of 1 to 100 letters")
                );
        _field.Run("machine", "list", "--json").Json.GetArrayLength().ShouldBe(0);
    }

    /// <summary>What only asks, and may be asked by everybody.</summary>
    private static bool IsQuestion(string path) =>
        path.EndsWith("/check", StringComparison.Ordinal) || path.EndsWith("/suggest", StringComparison.Ordinal);

    private async Task<List<Call>> CallsAsync()
    {
        var api = JsonNode.Parse(await _http.GetStringAsync("/openapi/v1.json"))!;
        var schemas = api["components"]!["schemas"]!;
        return
        [
            .. from path in api["paths"]!.AsObject()
            from verb in path.Value!.AsObject()
            let reference = verb.Value!["requestBody"]
                ?["content"]?["application/json"]?["schema"]?["$ref"]?.GetValue<string>()
            select new Call(
                HttpMethod.Parse(verb.Key),
                path.Key,
                reference is null ? null : schemas[reference.Split('/')[^1]]!["properties"]!.AsObject()
            ),
        ];
    }

    private static IEnumerable<(string What, HttpContent Body)> WrongBodies(JsonObject properties)
    {
        foreach (
            var text in (string[])
                [
                    "",
                    "null",
                    "[null]",
                    "7",
                    "\"text\"",
                    "{",
                    "{\"a\":",
                    "\u0000",
                    string.Concat(Enumerable.Repeat("{\"a\":", 2_000)) + "1",
                ]
        )
            yield return ($"`{text[..Math.Min(12, text.Length)]}`", Content(text));
        yield return (
            "another type of content",
            new StringContent(
                properties.Count == 0 ? "{}" : Filled(properties, "text").ToJsonString(),
                Encoding.UTF8,
                "text/plain"
            )
        );
        yield return (
            "33 MB",
            new ByteArrayContent(new byte[33 << 20])
            {
                Headers = { ContentType = new MediaTypeHeaderValue("application/json") },
            }
        );
        foreach (var property in properties)
        {
            var odd = Filled(properties, "text");
            odd[property.Key] = new JsonObject { ["odd"] = new JsonArray(1, null) };
            yield return ($"an object as {property.Key}", Content(odd.ToJsonString()));
        }
    }

    /// <summary>A body in which every property has a value of its kind.</summary>
    private static JsonObject Filled(JsonObject properties, string text) =>
        new(properties.Select(p => KeyValuePair.Create(p.Key, Value(p.Value!, text))));

    private static JsonNode? Value(JsonNode schema, string text) =>
        (
            schema["type"] is JsonArray several
                ? several.First(t => t!.GetValue<string>() != "null")!.GetValue<string>()
                : schema["type"]?.GetValue<string>()
        ) switch
        {
            "integer" or "number" => JsonValue.Create(1),
            "array" => new JsonArray(text),
            "boolean" => JsonValue.Create(true),
            _ => JsonValue.Create(text),
        };

    private static StringContent Content(string text) => new(text, Encoding.UTF8, "application/json");

    /// <summary>Null where the call was refused with a code and a sentence; else what it answered.</summary>
    private async Task<string?> WrongAsync(HttpMethod method, string path, string? token, HttpContent? body)
    {
        HttpResponseMessage answer;
        try
        {
            answer = await SendAsync(method, path, token, body);
        }
        // Who sends too much is cut off before the last byte.
        catch (HttpRequestException) when (body?.Headers.ContentLength > 32 << 20)
        {
            return null;
        }
        using (answer)
        {
            var text = await answer.Content.ReadAsStringAsync();
            if ((int)answer.StatusCode is < 400 or >= 500)
                return $"{(int)answer.StatusCode} {text[..Math.Min(200, text.Length)]}";
            if (text.Length == 0)
                return $"{(int)answer.StatusCode} without a word";
            try
            {
                using var problem = JsonDocument.Parse(text);
                return
                    problem.RootElement.GetProperty("code").GetString() is { Length: > 0 }
                    && problem.RootElement.GetProperty("detail").GetString() is { Length: > 0 and < 2_000 }
                    ? null
                    : text;
            }
            catch (Exception odd) when (odd is JsonException or KeyNotFoundException)
            {
                return $"{(int)answer.StatusCode} {text}";
            }
        }
    }

    private async Task<HttpResponseMessage> SendAsync(HttpMethod method, string path, string? token, HttpContent? body)
    {
        using var request = new HttpRequestMessage(method, path) { Content = body };
        if (token is not null)
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
        return await _http.SendAsync(request);
    }

    /// <summary>All that the service has stored.</summary>
    private string State() => StoredState.Of(Path.Combine(_field.Folder, "service", "furlough.db"));
}
