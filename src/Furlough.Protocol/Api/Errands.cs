using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Something that only a person can do.</summary>
/// <param name="Account">The account that it concerns; null for the machine as a whole.</param>
/// <param name="Relocation">The relocation that it was raised for; others of the machine may wait for it too.</param>
/// <param name="Text">What to do.</param>
/// <param name="Overdue">Nobody has finished it by when it was due.</param>
/// <param name="ClaimedBy">The person or group that will do it.</param>
public sealed record ErrandView(
    long Number,
    ErrandKind Kind,
    ErrandCause Cause,
    ErrandState State,
    string Machine,
    string Room,
    string? Account,
    long Run,
    long Relocation,
    string Text,
    DateTimeOffset RaisedAt,
    DateTimeOffset Due,
    bool Overdue,
    string? ClaimedBy,
    DateTimeOffset? ClaimedAt,
    string? EndedBy,
    DateTimeOffset? EndedAt,
    string? Remark
);

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
