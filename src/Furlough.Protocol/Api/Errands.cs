using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Something that only a person can do.</summary>
public sealed record ErrandView
{
    public required long Number { get; init; }

    public required ErrandKind Kind { get; init; }

    public required ErrandCause Cause { get; init; }

    public required ErrandState State { get; init; }

    public required string Machine { get; init; }

    public required string Room { get; init; }

    /// <summary>The account that it concerns; null for the machine as a whole.</summary>
    public required string? Account { get; init; }

    public required long Run { get; init; }

    /// <summary>The relocation that it was raised for; others of the machine may wait for it too.</summary>
    public required long Relocation { get; init; }

    /// <summary>What to do.</summary>
    public required string Text { get; init; }

    public required DateTimeOffset RaisedAt { get; init; }

    public required DateTimeOffset Due { get; init; }

    /// <summary>Nobody has finished it by when it was due.</summary>
    public required bool Overdue { get; init; }

    /// <summary>The person or group that will do it.</summary>
    public required string? ClaimedBy { get; init; }

    public required DateTimeOffset? ClaimedAt { get; init; }

    public required string? EndedBy { get; init; }

    public required DateTimeOffset? EndedAt { get; init; }

    public required string? Remark { get; init; }
}

/// <summary>Asks for a drill with a volume on which someone's home is to live.</summary>
/// <param name="Volume">Where it is mounted.</param>
/// <param name="Account">Who signs in at the end.</param>
public sealed record DrillRequest(string Volume, string Account);

/// <summary>A drill with a volume.</summary>
/// <param name="EndedAt">Null while it is under way.</param>
/// <param name="Failed">Why it did not pass; null when it did, or has not ended.</param>
/// <param name="Errand">The errand of its last step.</param>
public sealed record DrillView(
    long Number,
    string Volume,
    string Account,
    string AskedBy,
    DateTimeOffset AskedAt,
    DateTimeOffset? EndedAt,
    string? Failed,
    long Errand
);

/// <summary>Claims an errand; null for the person who asks.</summary>
public sealed record ClaimRequest(string? As);

/// <summary>What is said when an errand is finished or declined.</summary>
public sealed record ErrandRemark(string? Text);
