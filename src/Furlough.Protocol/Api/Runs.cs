using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>How far a run is.</summary>
[JsonConverter(typeof(WordConverter<RunState>))]
public enum RunState
{
    Running,
    Paused,
    Halted,
    Ended,
    Proposed,
}

/// <summary>Starts a run.</summary>
public sealed record RunRequest(long Plan);

/// <summary>A run in a list.</summary>
public sealed record RunSummary(
    long Number,
    long Plan,
    string Title,
    RunState State,
    string StartedBy,
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt
)
{
    public required int Machines { get; init; }

    public required int Relocations { get; init; }

    public required long DataBytes { get; init; }

    public required long DoneBytes { get; init; }

    /// <summary>Relocations by state, without those that its plan blocked.</summary>
    public required IReadOnlyDictionary<string, int> Counts { get; init; }
}

/// <summary>A run.</summary>
public sealed record RunView
{
    public required long Number { get; init; }

    public required long Plan { get; init; }

    public required string Title { get; init; }

    public required RunState State { get; init; }

    public required string StartedBy { get; init; }

    public required DateTimeOffset StartedAt { get; init; }

    public required DateTimeOffset? EndedAt { get; init; }

    public required int Machines { get; init; }

    public required int Relocations { get; init; }

    public required long DataBytes { get; init; }

    public required long DoneBytes { get; init; }

    /// <summary>Relocations by state.</summary>
    public required IReadOnlyDictionary<string, int> Counts { get; init; }

    public required IReadOnlyList<FailureGroup> Failures { get; init; }

    /// <summary>What relocations wait for, by cause.</summary>
    public required IReadOnlyList<FailureGroup> Waits { get; init; }

    /// <summary>Nothing goes on any more until someone does something.</summary>
    public required bool WaitsForPerson { get; init; }

    /// <summary>
    /// The allowed hours that are open now, or else the next ones; null where all are allowed, where none are to
    /// come, or when it has ended.
    /// </summary>
    public required OpenHours? Hours { get; init; }

    /// <summary>Work may begin now.</summary>
    public required bool HoursOpen { get; init; }

    public required string? ApprovedBy { get; init; }

    /// <summary>
    /// Relocations that its plan blocked, by hazard: only another plan helps. They are counted nowhere else.
    /// </summary>
    public required IReadOnlyList<FailureGroup> Blocked { get; init; }

    /// <summary>The originals of its relocations: their room is free only when they are discarded.</summary>
    public required KeptOriginals Originals { get; init; }

    /// <summary>What it waits for while nothing of it moves; null when something does.</summary>
    public HeldUp? HeldUp { get; init; }
}

/// <summary>What holds a run up.</summary>
/// <param name="Text">One sentence.</param>
/// <param name="Relocations">What no machine has begun and the run goes on without if it is skipped.</param>
public sealed record HeldUp(string Text, IReadOnlyList<long> Relocations);

/// <summary>Tries every failed relocation of a run again, or those of one cause.</summary>
/// <param name="Cause">A failure's code; null for all.</param>
public sealed record RetryRequest(string? Cause);

/// <summary>What became of something that was asked of several relocations.</summary>
/// <param name="Refusals">Why some of them could not.</param>
public sealed record ManyDone(IReadOnlyList<long> Relocations, IReadOnlyList<string> Refusals);

/// <summary>Failures of one cause.</summary>
public sealed record FailureGroup(
    string Code,
    IReadOnlyList<long> Relocations,
    IReadOnlyList<string> Machines,
    string Example
);
