using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>What people and programs can be notified of.</summary>
[JsonConverter(typeof(WordConverter<NotificationEvent>))]
public enum NotificationEvent
{
    RunProposed,
    WaveDone,
    RunHalted,
    RunEnded,
    ErrandRaised,
    Findings,
    AccountKeptOut,
    ReportRefused,
    CertificateEnding,
    BackupFailed,
    ServiceReplaced,
}

/// <summary>
/// What became of a notification. Uncertain: the service ended while it was being sent; it is not sent twice.
/// </summary>
[JsonConverter(typeof(WordConverter<NotificationState>))]
public enum NotificationState
{
    Waiting,
    Sending,
    Sent,
    Uncertain,
    GivenUp,
}

/// <summary>
/// Asks that someone be notified of events from now on, by mail or by a call to a web address; one of the two.
/// </summary>
/// <param name="On">The events; empty for all.</param>
public sealed record ReceiverRequest(string Name, string? Mail, string? Call, IReadOnlyList<NotificationEvent> On);

/// <summary>Someone who is notified of events.</summary>
/// <param name="Secret">With which calls are signed; shown once, when the receiver is added.</param>
/// <param name="Troubles">What could not be sent yet, or was cancelled.</param>
public sealed record ReceiverView(
    string Name,
    string? Mail,
    string? Call,
    IReadOnlyList<NotificationEvent> On,
    string AddedBy,
    DateTimeOffset AddedAt,
    int Sent,
    int Waiting,
    IReadOnlyList<NotificationTrouble> Troubles,
    string? Secret = null
);

/// <summary>A notification that did not arrive, or may not have.</summary>
/// <param name="Next">When it is tried again; null for never.</param>
public sealed record NotificationTrouble(
    NotificationEvent Event,
    string Subject,
    NotificationState State,
    int Attempts,
    string Why,
    DateTimeOffset? Next
);

/// <summary>A hint that something changed; ask the API for what it is now.</summary>
public sealed record LiveEvent(string Kind, string Subject);
