using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>What can happen. The word of each reads well before its subject: "wave-begun run 12".</summary>
[JsonConverter(typeof(WordConverter<HistoryEvent>))]
public enum HistoryEvent
{
    /// <summary>Written by a former version in words that this one does not know; they are kept as the detail.</summary>
    Noted,
    PlanMade,
    ConsentGiven,
    RunProposed,
    RunStarted,
    RunApproved,
    RunPaused,
    RunResumed,
    RunHalted,
    RunEnded,
    WaveBegun,

    /// <summary>A machine reported it.</summary>
    StateChanged,

    /// <summary>A machine reported what cannot have happened; nothing was changed.</summary>
    ReportRefused,
    UnknownDocketReported,
    TakenOver,
    Retry,
    Skip,
    Begin,
    BackOut,
    Return,
    FallBack,
    LossAccepted,
    Gather,
    Discard,
    DiscardDecided,
    ErrandRaised,
    ErrandClaimed,
    ErrandFinished,
    ErrandDeclined,
    ErrandLapsed,
    DrillBegun,
    DrillPassed,
    DrillFailed,
    AuditMade,
    AccountLockedOut,
    Enrolled,
    EnrolledAgain,
    SameMachineId,
    SuspectedClone,
    KnowsMoreThanTheService,
    MachineHeld,
    MachineReleased,
    MachineTagged,
    MachineForgotten,
    InviteMade,
    InviteRevoked,
    TokenMade,
    TokenReplaced,
    TokenRevoked,

    /// <summary>The groups of someone who signed in with the office's provider give another access level.</summary>
    LevelChanged,
    ReceiverAdded,
    ReceiverRemoved,
    KindCardAdded,
    KindCardTried,
    KindCardRemoved,
    ReserveSet,
    CertificateChanged,
    CertificateEnding,
    BackupMade,
    BackupFailed,

    /// <summary>A machine has shown that it follows a service restored from this one's backup.</summary>
    ServiceReplaced,
}

/// <summary>What an entry of the history can be about.</summary>
[JsonConverter(typeof(WordConverter<SubjectKind>))]
public enum SubjectKind
{
    /// <summary>Only in entries of a former version.</summary>
    Other,
    Plan,
    Run,
    Relocation,
    Errand,
    Audit,
    Docket,
    Machine,
    Room,
    Fleet,
    Account,
    Invite,
    Token,
    Receiver,
    KindCard,
    Certificate,
    Service,
}

/// <summary>What an entry of the history is about: a thing with a number, or one with a name.</summary>
/// <param name="Number">Of plans, runs, relocations, errands and audits; null for everything else.</param>
/// <param name="Name">Of everything else; empty where the kind says all.</param>
public sealed record HistorySubject(SubjectKind Kind, long? Number, string Name)
{
    /// <summary>"run 12", "herb-03", "kind card mosses".</summary>
    public string InWords() =>
        (Kind, Number) switch
        {
            (_, { } number) => $"{Kind.InWords()} {number}",
            (SubjectKind.Fleet, _) => "all machines",
            (SubjectKind.Machine or SubjectKind.Account or SubjectKind.Other, _) => Name,
            _ => Name.Length == 0 ? Kind.InWords() : $"{Kind.InWords()} {Name}",
        };
}

/// <summary>Who did what, when.</summary>
/// <param name="By">A person, a machine, or "furlough".</param>
/// <param name="From">How it was before; null where that says nothing.</param>
/// <param name="To">How it was afterwards; null where that says nothing.</param>
/// <param name="Detail">A reason, a name, a number: what else there is to say; null for nothing.</param>
/// <param name="Correlation">Of the call that led to it, as the logs have it; null where nobody called.</param>
public sealed record HistoryEntry(
    long Number,
    DateTimeOffset At,
    string By,
    HistoryEvent Event,
    HistorySubject Subject,
    string? From,
    string? To,
    string? Detail,
    string? Correlation
);
