using System.Net;
using System.Net.Http.Headers;
using System.Text;
using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// What the service does with surveys that cannot be true, by an agent that has gone wrong or been taken over.
/// </summary>
public sealed class SurveyIntakeTests : IDisposable
{
    private readonly Field _field = new();
    private readonly MadeUpMachine _machine;

    public SurveyIntakeTests()
    {
        _field.StartServiceProgram();
        _machine = new MadeUpMachine(_field, "map-01");
    }

    public void Dispose()
    {
        _machine.Dispose();
        _field.Dispose();
    }

    [Fact]
    public void A_survey_that_cannot_be_true_is_refused_and_the_one_before_stays()
    {
        var good = JsonSerializer.Serialize(Good(), ModelJson.Default.Survey);
        Hand(Encoding.UTF8.GetBytes(good)).ShouldBe((HttpStatusCode.NoContent, ""));
        foreach (
            var (bad, status, code) in (ReadOnlySpan<(byte[], HttpStatusCode, string)>)
                [
                    (With("\"freeBytes\":400", "\"freeBytes\":-1"), HttpStatusCode.BadRequest, "survey-impossible"),
                    (With("\"freeBytes\":400", "\"freeBytes\":2000"), HttpStatusCode.BadRequest, "survey-impossible"),
                    (With("\"dataBytes\":7", "\"dataBytes\":-7"), HttpStatusCode.BadRequest, "survey-impossible"),
                    (With("\"files\":3", "\"files\":-3"), HttpStatusCode.BadRequest, "survey-impossible"),
                    (
                        With("\"dataBytes\":7", "\"dataBytes\":99999999999999999999"),
                        HttpStatusCode.BadRequest,
                        "bad-request"
                    ),
                    (
                        With("\"dataBytes\":7", "\"dataBytes\":9223372036854775000"),
                        HttpStatusCode.BadRequest,
                        "out-of-bounds"
                    ),
                    (
                        With("\"sizeBytes\":1000", "\"sizeBytes\":9223372036854775000"),
                        HttpStatusCode.BadRequest,
                        "out-of-bounds"
                    ),
                    (With("\"takenAt\":\"20", "\"takenAt\":\"00"), HttpStatusCode.BadRequest, "out-of-bounds"),
                    (
                        With("\"account\":\"asa.lind\"", "\"account\":\"nobody\""),
                        HttpStatusCode.BadRequest,
                        "survey-impossible"
                    ),
                    (
                        With("\"attached\":\"internal\"", "\"attached\":\"glued\""),
                        HttpStatusCode.BadRequest,
                        "bad-request"
                    ),
                    (With("\"takenAt\"", "\"takenAtt\""), HttpStatusCode.BadRequest, "bad-request"),
                    (With("\"volumes\":[", "\"volumes\":[null,"), HttpStatusCode.BadRequest, "out-of-bounds"),
                    (With("\"inUse\":[", "\"inUse\":[null"), HttpStatusCode.BadRequest, "out-of-bounds"),
                    (Encoding.Unicode.GetBytes(good), HttpStatusCode.BadRequest, "bad-request"),
                    (
                        Encoding.Latin1.GetBytes(good.Replace("asa.lind", "\u00e5sa", StringComparison.Ordinal)),
                        HttpStatusCode.BadRequest,
                        "bad-request"
                    ),
                    (Encoding.UTF8.GetBytes(good[..^20]), HttpStatusCode.BadRequest, "bad-request"),
                    (
                        [
                            .. Encoding.UTF8.GetBytes(
                                good.Replace(
                                    "\"holdings\":[",
                                    "\"holdings\":[" + string.Concat(Enumerable.Repeat(HoldingText(), 60_000)),
                                    StringComparison.Ordinal
                                )
                            ),
                        ],
                        HttpStatusCode.BadRequest,
                        "out-of-bounds"
                    ),
                    (
                        Encoding.UTF8.GetBytes(
                            good.Replace(
                                "\"holdings\":[",
                                "\"holdings\":[" + string.Concat(Enumerable.Repeat(HoldingText(), 150_000)),
                                StringComparison.Ordinal
                            )
                        ),
                        HttpStatusCode.RequestEntityTooLarge,
                        "body-too-large"
                    ),
                ]
        )
            Hand(bad).ShouldBe((status, code), Encoding.UTF8.GetString(bad.AsSpan(0, Math.Min(bad.Length, 400))));
        _field
            .Run("machine", "show", "map-01", "--json")
            .Json.GetProperty("machine")
            .GetProperty("dataBytes")
            .GetInt64()
            .ShouldBe(7);

        byte[] With(string right, string wrong)
        {
            good.ShouldContain(right);
            return Encoding.UTF8.GetBytes(good.Replace(right, wrong, StringComparison.Ordinal));
        }

        string HoldingText() =>
            JsonSerializer
                .Serialize(Good(), ModelJson.Default.Survey)
                .Split("\"holdings\":[")[1]
                .Split("],\"originals\"")[0] + ",";
    }

    [Fact]
    public async Task Of_writers_at_once_each_gets_its_own_answer_and_the_refused_leave_nothing()
    {
        using var steward = new FurloughClient(new Uri(_field.Address + "/"), _field.Token);
        var asked = Enumerable
            .Range(0, 120)
            .Select(async i =>
            {
                try
                {
                    if (i % 3 == 0)
                        await steward.ActAsync(9_999, "retry", CancellationToken.None);
                    else if (i % 3 == 1)
                        await steward.InviteAsync(
                            new InviteRequest($"Room {i}", Again: "no such machine"),
                            CancellationToken.None
                        );
                    else
                        return (await steward.InviteAsync(new InviteRequest($"Room {i}"), CancellationToken.None)).Code;
                    return "";
                }
                catch (ServiceException refused)
                {
                    return refused.Code;
                }
            });
        var answers = await Task.WhenAll(asked);
        answers.Where((_, i) => i % 3 < 2).ShouldAllBe(a => a == "not-found");
        var codes = answers.Where((_, i) => i % 3 == 2).ToList();
        codes.Distinct().Count().ShouldBe(40);
        var client = new AgentClient(_machine.Http);
        for (var i = 0; i < codes.Count; i += 13)
            (
                await client.EnrolAsync(
                    new EnrolRequest(
                        codes[i],
                        $"desk-{i}",
                        "Any",
                        SigningKey.Make().Public,
                        $"machine-{i + 2}",
                        ProtocolVersion.Newest
                    ),
                    CancellationToken.None
                )
            ).Machine.ShouldNotBe(Guid.Empty);
        var listed = await steward.MachinesAsync(null, null, CancellationToken.None);
        listed.Select(m => m.Name).ShouldBe(["desk-0", "desk-13", "desk-26", "desk-39", "map-01"]);
        listed.Select(m => m.Room).Order().ShouldBe(["Map Room", "Room 119", "Room 2", "Room 41", "Room 80"]);
        (await steward.MachinesAsync("Room 2", "settled", CancellationToken.None)).ShouldBeEmpty();
        (await steward.MachinesAsync("Room 2", "silent", CancellationToken.None)).Single().Name.ShouldBe("desk-0");
        (
            await Should.ThrowAsync<ServiceException>(() =>
                steward.MachinesAsync(null, "sleepy", CancellationToken.None)
            )
        ).Message.ShouldContain("not a standing");
    }

    private static Survey Good()
    {
        var volume = new VolumeFacts(
            new VolumeIdentity("v1", ""),
            "System",
            "/",
            Attachment.Internal,
            Medium.Solid,
            "ext4",
            1_000,
            400,
            1,
            true,
            true,
            false,
            true,
            FileSystemAbilities.Full,
            []
        );
        var holding = new HoldingFacts(
            new HoldingName("asa.lind", HoldingKind.Folder, "Documents"),
            new Place("v1", "home/asa.lind/Documents"),
            "/home/asa.lind/Documents",
            true,
            [],
            3,
            7,
            0,
            [],
            Demands.None
        );
        return new Survey(
            TimeProvider.System.GetUtcNow(),
            "Fen 12",
            "1",
            [volume],
            [new AccountFacts("asa.lind", "1701", "/home/asa.lind", false, false)],
            [holding],
            [],
            [],
            []
        );
    }

    /// <summary>Hands in a survey as it is; the code of the refusal is empty where it is taken.</summary>
    private (HttpStatusCode Status, string Code) Hand(byte[] body)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "api/v1/agent/surveys")
        {
            Content = new ByteArrayContent(body),
        };
        request.Content.Headers.ContentType = new MediaTypeHeaderValue("application/json");
        request.Headers.ExpectContinue = true; // so that a body too large is refused before it is sent
        request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", _machine.Session);
        using var response = _machine.Http.Send(request);
        using var reader = new StreamReader(response.Content.ReadAsStream());
        var text = reader.ReadToEnd();
        return (
            response.StatusCode,
            text.Length == 0 ? "" : JsonDocument.Parse(text).RootElement.GetProperty("code").GetString()!
        );
    }
}
