using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>
/// The steps of a relocation. Their order depends on the method; nothing before repoint changes what is live.
/// </summary>
[JsonConverter(typeof(WordConverter<Step>))]
public enum Step
{
    Prepare,
    Quiesce,
    Copy,
    CatchUp,
    Prove,
    Repoint,
    SetAside,
    Reopen,
    Confirm,
    Mend,
    Discard,
    Gather,
}

/// <summary>Where the data of a holding lives.</summary>
[JsonConverter(typeof(WordConverter<Live>))]
public enum Live
{
    Unknown,
    Source,
    Target,
}

/// <summary>The states of a relocation.</summary>
[JsonConverter(typeof(WordConverter<RelocationState>))]
public enum RelocationState
{
    Planned,
    Queued,
    UnderWay,
    Waiting,
    Switched,
    Finished,
    BackingOut,
    BackedOut,
    Returning,
    Returned,
    Failed,
    Refused,
    Discarding,
    Gathering,
    Skipped,
}

/// <summary>
/// What went wrong: what happened, where the data lives, what to correct. Anyone who shows it adds how to go on.
/// </summary>
/// <param name="Code">Stable, hyphenated: that of a <see cref="FaultKind"/>, or one of the service's own.</param>
/// <param name="Remedy">What can be corrected; may be empty.</param>
public sealed record Failure(string Code, string Text, string Where, string Remedy)
{
    /// <summary>What comes after that.</summary>
    public NextStep Next { get; init; }

    /// <summary>The number of the relocation that it is about.</summary>
    public long Relocation { get; init; }

    /// <summary>The account that is still locked out because of it; null for nobody.</summary>
    public string? LockedOut { get; init; }

    /// <summary>For logs.</summary>
    public override string ToString() => $"{Code}: {Text} {Where} {Remedy}";
}

/// <summary>What the states of a relocation have in common.</summary>
public static class RelocationStates
{
    /// <summary>Nothing will happen any more without someone asking for it.</summary>
    public static bool IsAtRest(this RelocationState state) =>
        state
            is RelocationState.Switched
                or RelocationState.Finished
                or RelocationState.BackedOut
                or RelocationState.Returned
                or RelocationState.Failed
                or RelocationState.Refused
                or RelocationState.Skipped;
}

/// <summary>A pointer's value before and after.</summary>
public sealed record PointerHistory(PointerAddress Address, PointerValue Before, PointerValue After)
{
    /// <summary>
    /// Path below the docket's places to which it leads: that of a holding which lives inside the one that is moved.
    /// Empty for the holding itself.
    /// </summary>
    public string Within { get; init; } = "";
}

/// <summary>What an agent says about one docket. Numbered per agent; applied once and in order.</summary>
/// <param name="Original">An original of this docket now waits to be discarded.</param>
public sealed record Bulletin(
    long Number,
    DateTimeOffset At,
    Guid Docket,
    long Relocation,
    RelocationState State,
    Step? Step,
    Live Live,
    Failure? Failure,
    IReadOnlyList<PointerHistory> Pointers,
    OriginalFacts? Original,
    IReadOnlyList<string> Notes
)
{
    /// <summary>How long the steps took, at the end of a docket that was carried out in one go; else empty.</summary>
    public IReadOnlyList<StepTime> Times { get; init; } = [];

    /// <summary>The docket that had set aside what was renamed back and is live again: an original no more.</summary>
    public Guid? LiveAgain { get; init; }
}

/// <summary>How far a step has come; only the latest counts.</summary>
/// <param name="BytesPerSecond">Rate over the last seconds.</param>
public sealed record Progress(
    Guid Docket,
    long Relocation,
    Step Step,
    long FilesDone,
    long FilesTotal,
    long BytesDone,
    long BytesTotal,
    long BytesPerSecond,
    double? SecondsLeft,
    DateTimeOffset At
);
