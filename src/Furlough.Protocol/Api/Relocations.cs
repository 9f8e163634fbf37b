using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Skips relocations, with a reason.</summary>
/// <param name="Cause">Of a run's: a failure's code; null for all failed ones. Not for a single relocation.</param>
public sealed record SkipRequest(string Reason, string? Cause = null);

/// <summary>A relocation.</summary>
/// <param name="Live">Where the data lives; unknown when the machine has been silent.</param>
/// <param name="AsOf">When that was last known.</param>
/// <param name="Forecast">What the plan expected.</param>
/// <param name="Times">How long its steps took; empty where they were cut short.</param>
public sealed record RelocationView(
    long Number,
    long Run,
    string Machine,
    string Room,
    string Account,
    string Holding,
    RelocationState State,
    Step? Step,
    Live Live,
    DateTimeOffset AsOf,
    string Source,
    string Target,
    Method Method,
    string Wave,
    long Files,
    long DataBytes,
    Failure? Failure,
    Progress? Progress,
    IReadOnlyList<PointerHistory> Pointers,
    IReadOnlyList<string> Notes,
    bool HasOriginal,
    RelocationForecast? Forecast,
    IReadOnlyList<StepTime> Times
);

/// <summary>Makes an original live again.</summary>
/// <param name="MissingFrom">The time from which work is missing afterwards, said by the person who accepts that; to
/// the minute.</param>
public sealed record FallBackRequest(DateTimeOffset? MissingFrom);
