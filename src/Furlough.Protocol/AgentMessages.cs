using System.Text.Json;
using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Protocol;

/// <summary>Versions of the protocol that are spoken.</summary>
public static class ProtocolVersion
{
    /// <summary>The newest.</summary>
    public const int Newest = 1;

    /// <summary>The oldest still accepted.</summary>
    public const int Oldest = 1;
}

/// <summary>Types of signed messages.</summary>
public static class MessageType
{
    /// <summary>A <see cref="Model.Docket"/> from service to agent.</summary>
    public const string Docket = "furlough-docket";

    /// <summary>A <see cref="Generation"/>, from service to agent and from there to other services.</summary>
    public const string Generation = "furlough-generation";

    /// <summary>The <see cref="Model.KindCard"/>s that surveys look for, from service to agent.</summary>
    public const string Kinds = "furlough-kinds";

    /// <summary>A <see cref="Model.Permit"/> from service to agent.</summary>
    public const string Permit = "furlough-permit";

    /// <summary>A <see cref="SessionProof"/> from agent to service.</summary>
    public const string Session = "furlough-session";

    /// <summary>A <see cref="TlsStatement"/> from service to agent.</summary>
    public const string Tls = "furlough-tls";
}

/// <summary>A new agent introduces itself with an invite.</summary>
public sealed record EnrolRequest(
    string Code,
    string Name,
    string Room,
    string PublicKey,
    string MachineId,
    int Protocol
);

/// <summary>The service accepts a new agent.</summary>
public sealed record EnrolResponse(Guid Machine, string ServiceKey, long LastBulletin, long LastDocket);

/// <summary>A number to be signed, so that an old proof is of no use.</summary>
public sealed record Challenge(string Nonce);

/// <summary>What an agent signs to open a session.</summary>
/// <param name="LastAcknowledged">The highest bulletin number that the service ever acknowledged to this agent.</param>
public sealed record SessionProof(Guid Machine, string Nonce, string MachineId, int Protocol, long LastAcknowledged)
{
    /// <summary>The highest docket number taken in.</summary>
    public long LastDocket { get; init; }

    /// <summary>The highest supersession counter of any docket taken in.</summary>
    public int Supersession { get; init; }

    /// <summary>Made by the agent at its start: two that come in turn are two machines with one key.</summary>
    public Guid Instance { get; init; }

    /// <summary>The highest bulletin number that the agent has; null of one that does not tell.</summary>
    public long? LastBulletin { get; init; }

    /// <summary>The highest <see cref="Protocol.Generation"/> that it has heard of, signed; null for none.</summary>
    public string? Generation { get; init; }
}

/// <summary>
/// What keeps an agent from working although it is there: nothing can be written to the folder in which it keeps its
/// journal, because that volume is full or for another reason.
/// </summary>
[JsonConverter(typeof(WordConverter<AgentTrouble>))]
public enum AgentTrouble
{
    DataFolderFull,
    DataFolderUnwritable,
}

/// <summary>How far an agent has counted.</summary>
/// <param name="Acknowledged">Bulletins that the service acknowledged.</param>
/// <param name="Docket">The highest docket number taken in.</param>
/// <param name="Supersession">The highest supersession counter of any docket taken in.</param>
/// <param name="Bulletin">The highest bulletin number.</param>
public sealed record AgentCounters(long Acknowledged, long Docket, int Supersession, long Bulletin)
{
    /// <summary>The highest <see cref="Protocol.Generation"/> that it has heard of, signed; null for none.</summary>
    public string? Generation { get; init; }

    /// <summary>Nothing was counted yet.</summary>
    public static AgentCounters None { get; } = new(0, 0, 0, 0);
}

/// <summary>A signed <see cref="SessionProof"/>.</summary>
public sealed record SessionRequest(string Proof);

/// <summary>An open session. The agent sends bulletins from <paramref name="LastBulletin"/> + 1 on.</summary>
public sealed record SessionResponse(string Token, long LastBulletin)
{
    /// <summary>The service's <see cref="Protocol.Generation"/>, signed; null of one older than generations.</summary>
    public string? Generation { get; init; }

    /// <summary>
    /// The service knows less than the agent, as after it was restored from a backup: the agent hands in all dockets after
    /// this one before it gets any. Null where the service knows all.
    /// </summary>
    public long? UnknownAfter { get; init; }
}

/// <summary>One numbered, signed docket.</summary>
public sealed record DocketEnvelope(long Number, string Docket);

/// <summary>What waits for an agent.</summary>
/// <param name="SurveyRequest">The number under which a survey is wanted; null where none is.</param>
/// <param name="Kinds">The signed kind cards, when the agent has others.</param>
public sealed record DocketBatch(
    IReadOnlyList<DocketEnvelope> Dockets,
    long? SurveyRequest,
    Wishes Wishes,
    SignedKinds? Kinds = null
);

/// <summary>Signed kind cards.</summary>
/// <param name="Tag">Tells one set of cards from another.</param>
public sealed record SignedKinds(string Tag, string Cards);

/// <summary>What the service wishes of one docket.</summary>
public sealed record DocketWish(Guid Docket, Wish Wish);

/// <summary>
/// What the service wishes of dockets that are under way: all wishes of the moment, not the news. A docket that is not
/// named goes on.
/// </summary>
public sealed record Wishes(IReadOnlyList<DocketWish> All)
{
    /// <summary>None.</summary>
    public static Wishes None { get; } = new([]);

    /// <summary>What is wished of a docket.</summary>
    public Wish Of(Guid docket) => All.FirstOrDefault(w => w.Docket == docket)?.Wish ?? Wish.GoOn;

    /// <summary>Tells one set of wishes from another, so that an agent is answered at once when they change.</summary>
    public string Tag() =>
        string.Join('.', All.OrderBy(w => w.Docket).Select(w => $"{w.Docket.ToString("N")[20..]}{(int)w.Wish}"));
}

/// <summary>Asks for leave to go on with a docket.</summary>
/// <param name="KeptOut">Its account may be locked out already.</param>
public sealed record PermitRequest(Guid Docket, bool KeptOut);

/// <summary>A signed permit.</summary>
public sealed record PermitResponse(string Permit);

/// <summary>Bulletins up to this number are stored.</summary>
public sealed record BulletinReceipt(long Acknowledged)
{
    /// <summary>
    /// A docket that the next bulletin tells of and the service does not know: it needs the signed docket first. Null
    /// where it knows all.
    /// </summary>
    public Guid? Wanted { get; init; }
}

/// <summary>
/// Progress was taken in; the next is wanted after this pause, which is longer the more there is under way.
/// </summary>
public sealed record ProgressReceipt(TimeSpan Pause);

/// <summary>An error as RFC 9457 has it, with our stable code and remedy.</summary>
public sealed record Problem(
    string? Title,
    string? Detail,
    int? Status,
    string? Code,
    string? Remedy,
    string? Place,
    IReadOnlyList<string>? Details
);

/// <summary>Source-generated JSON of the agents' side.</summary>
[JsonSourceGenerationOptions(
    JsonSerializerDefaults.Web,
    RespectNullableAnnotations = true,
    RespectRequiredConstructorParameters = true
)]
[JsonSerializable(typeof(EnrolRequest))]
[JsonSerializable(typeof(EnrolResponse))]
[JsonSerializable(typeof(Challenge))]
[JsonSerializable(typeof(SessionProof))]
[JsonSerializable(typeof(SessionRequest))]
[JsonSerializable(typeof(SessionResponse))]
[JsonSerializable(typeof(DocketBatch))]
[JsonSerializable(typeof(IReadOnlyList<string>))]
[JsonSerializable(typeof(PermitRequest))]
[JsonSerializable(typeof(PermitResponse))]
[JsonSerializable(typeof(BulletinReceipt))]
[JsonSerializable(typeof(ProgressReceipt))]
[JsonSerializable(typeof(Problem))]
[JsonSerializable(typeof(TlsStatement))]
[JsonSerializable(typeof(Generation))]
public sealed partial class ProtocolJson : JsonSerializerContext;
