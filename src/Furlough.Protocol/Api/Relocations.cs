using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Skips relocations, with a reason.</summary>
/// <param name="Cause">Of a run's: a failure's code; null for all failed ones. Not for a single relocation.</param>
public sealed record SkipRequest(string Reason, string? Cause = null);

/// <summary>A relocation.</summary>
public sealed record RelocationView
{
    public required long Number { get; init; }

    public required long Run { get; init; }

    public required string Machine { get; init; }

    public required string Room { get; init; }

    public required string Account { get; init; }

    public required string Holding { get; init; }

    public required RelocationState State { get; init; }

    public required Step? Step { get; init; }

    /// <summary>Where the data lives; unknown when the machine has been silent.</summary>
    public required Live Live { get; init; }

    /// <summary>When that was last known.</summary>
    public required DateTimeOffset AsOf { get; init; }

    public required string Source { get; init; }

    public required string Target { get; init; }

    public required Method Method { get; init; }

    public required string Wave { get; init; }

    public required long Files { get; init; }

    public required long DataBytes { get; init; }

    public required Failure? Failure { get; init; }

    public required Progress? Progress { get; init; }

    public required IReadOnlyList<PointerHistory> Pointers { get; init; }

    public required IReadOnlyList<string> Notes { get; init; }

    public required bool HasOriginal { get; init; }

    /// <summary>What the plan expected.</summary>
    public required RelocationForecast? Forecast { get; init; }

    /// <summary>How long its steps took; empty where they were cut short.</summary>
    public required IReadOnlyList<StepTime> Times { get; init; }
}

/// <summary>Makes an original live again.</summary>
/// <param name="MissingFrom">The time from which work is missing afterwards, said by the person who accepts that; to
/// the minute.</param>
public sealed record FallBackRequest(DateTimeOffset? MissingFrom);
