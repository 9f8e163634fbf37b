using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Furlough.Model;

namespace Furlough.Protocol;

/// <summary>What an agent says to the service. Every call throws <see cref="ServiceException"/> on an error.</summary>
public sealed class AgentClient(HttpClient http)
{
    private const string Base = "api/v1/agent/";
    private const int MostConnections = 3;
    private static readonly TimeSpan KeptIdle = TimeSpan.FromSeconds(5);

    private readonly Guid _instance = Guid.NewGuid();

    /// <summary>
    /// An agent's connections: one on which it waits for dockets, and others while it has something to say. Each costs
    /// the service memory, and it has thousands of agents.
    /// </summary>
    public static SocketsHttpHandler Connections() =>
        new() { MaxConnectionsPerServer = MostConnections, PooledConnectionIdleTimeout = KeptIdle };

    /// <summary>Introduces a new agent.</summary>
    public Task<EnrolResponse> EnrolAsync(EnrolRequest request, CancellationToken stop) =>
        SendAsync(
            HttpMethod.Post,
            "enrol",
            null,
            request,
            ProtocolJson.Default.EnrolRequest,
            ProtocolJson.Default.EnrolResponse,
            stop
        );

    /// <summary>Opens a session by signing the service's challenge.</summary>
    public async Task<SessionResponse> OpenSessionAsync(
        SigningKey key,
        Guid machine,
        string machineId,
        AgentCounters counters,
        CancellationToken stop
    )
    {
        var challenge = await SendAsync<string, Challenge>(
            HttpMethod.Post,
            "challenge",
            null,
            null,
            null,
            ProtocolJson.Default.Challenge,
            stop
        );
        var proof = JsonSerializer.SerializeToUtf8Bytes(
            new SessionProof(machine, challenge.Nonce, machineId, ProtocolVersion.Newest, counters.Acknowledged)
            {
                LastDocket = counters.Docket,
                Supersession = counters.Supersession,
                Instance = _instance,
                LastBulletin = counters.Bulletin,
                Generation = counters.Generation,
            },
            ProtocolJson.Default.SessionProof
        );
        return await SendAsync(
            HttpMethod.Post,
            "session",
            null,
            new SessionRequest(Jws.Sign(key, MessageType.Session, proof)),
            ProtocolJson.Default.SessionRequest,
            ProtocolJson.Default.SessionResponse,
            stop
        );
    }

    /// <summary>
    /// Waits for dockets with a number above <paramref name="after"/>, for other wishes than those known, or for other
    /// kind cards.
    /// </summary>
    /// <param name="kinds">The tag of the kind cards that the agent has.</param>
    /// <param name="trouble">What keeps the agent from working; null for nothing.</param>
    public Task<DocketBatch> DocketsAsync(
        string token,
        long after,
        Wishes known,
        string kinds,
        TimeSpan wait,
        AgentTrouble? trouble,
        CancellationToken stop
    )
    {
        var complaint = trouble is { } told ? $"&trouble={told.Word()}" : "";
        return SendAsync<string, DocketBatch>(
            HttpMethod.Get,
            FormattableString.Invariant(
                $"dockets?after={after}&wishes={known.Tag()}&kinds={kinds}&wait={(int)wait.TotalSeconds}{complaint}"
            ),
            token,
            null,
            null,
            ProtocolJson.Default.DocketBatch,
            stop
        );
    }

    /// <summary>Asks for leave to go on.</summary>
    public Task<PermitResponse> PermitAsync(string token, Guid docket, bool keptOut, CancellationToken stop) =>
        SendAsync(
            HttpMethod.Post,
            "permits",
            token,
            new PermitRequest(docket, keptOut),
            ProtocolJson.Default.PermitRequest,
            ProtocolJson.Default.PermitResponse,
            stop
        );

    /// <summary>Hands in bulletins, in order.</summary>
    /// <param name="hasMore">The agent can hand in dockets that the service does not know; else what is reported about
    /// these is only written down.</param>
    public Task<BulletinReceipt> BulletinsAsync(
        string token,
        IReadOnlyList<Bulletin> bulletins,
        bool hasMore,
        CancellationToken stop
    ) =>
        SendAsync(
            HttpMethod.Post,
            hasMore ? "bulletins?hasMore=true" : "bulletins",
            token,
            bulletins,
            ModelJson.Default.IReadOnlyListBulletin,
            ProtocolJson.Default.BulletinReceipt,
            stop
        );

    /// <summary>Hands in dockets as the service signed them, for a service that does not know them any more.</summary>
    /// <param name="all">There are no others.</param>
    public Task KnownDocketsAsync(string token, IReadOnlyList<string> signed, bool all, CancellationToken stop) =>
        SendAsync<IReadOnlyList<string>, string>(
            HttpMethod.Post,
            all ? "known-dockets?all=true" : "known-dockets",
            token,
            signed,
            ProtocolJson.Default.IReadOnlyListString,
            null,
            stop
        );

    /// <summary>Hands in the latest progress.</summary>
    public Task<ProgressReceipt> ProgressAsync(string token, Progress progress, CancellationToken stop) =>
        SendAsync(
            HttpMethod.Post,
            "progress",
            token,
            progress,
            ModelJson.Default.Progress,
            ProtocolJson.Default.ProgressReceipt,
            stop
        );

    /// <summary>Hands in a survey.</summary>
    public Task SurveyAsync(string token, Survey survey, CancellationToken stop) =>
        SendAsync<Survey, string>(HttpMethod.Post, "surveys", token, survey, ModelJson.Default.Survey, null, stop);

    private async Task<TOut> SendAsync<TIn, TOut>(
        HttpMethod method,
        string path,
        string? token,
        TIn? body,
        JsonTypeInfo<TIn>? bodyType,
        JsonTypeInfo<TOut>? answer,
        CancellationToken stop
    )
    {
        using var request = new HttpRequestMessage(method, Base + path);
        if (token is not null)
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", token);
        if (body is not null)
            request.Content = JsonContent.Create(body, bodyType!);
        try
        {
            using var response = await http.SendAsync(request, stop);
            await ServiceException.ThrowIfErrorAsync(response, stop);
            return answer is null ? default! : (await response.Content.ReadFromJsonAsync(answer, stop))!;
        }
        catch (Exception away) when (ServiceException.IsUnreachable(away, stop))
        {
            throw ServiceException.Unreachable(http.BaseAddress, away);
        }
    }
}
