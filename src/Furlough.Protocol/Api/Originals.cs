using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Originals that still take room.</summary>
/// <param name="Due">How many of them are past their keeping time, so that they can go now.</param>
/// <param name="FirstDue">When the first of the others can go; null where there are none.</param>
public sealed record KeptOriginals(int Count, long Bytes, int Due, long DueBytes, DateTimeOffset? FirstDue)
{
    /// <summary>Of originals, each with its size in bytes and the time until which it is kept.</summary>
    public static KeptOriginals Of(
        IReadOnlyCollection<(long Bytes, DateTimeOffset Until)> originals,
        DateTimeOffset now
    ) =>
        new(
            originals.Count,
            originals.Sum(o => o.Bytes),
            originals.Count(o => o.Until <= now),
            originals.Where(o => o.Until <= now).Sum(o => o.Bytes),
            originals.Where(o => o.Until > now).Select(o => (DateTimeOffset?)o.Until).Min()
        );

    /// <summary>"347 GB are in 119 originals: none can be discarded yet, the first on 2026-12-06 14:00Z."</summary>
    public override string ToString() =>
        Count == 0
            ? "No originals take room."
            : $"{Words.Size(Bytes)} are in {Words.Count(Count, "original")}: {(Due == 0 ? "none can be discarded yet" : $"{(Due == Count ? "all" : $"{Due} of them, {Words.Size(DueBytes)},")} can be discarded now")}{(FirstDue is { } first ? $", the {(Due == 0 ? "first" : "next")} on {first.UtcDateTime:yyyy-MM-dd HH:mm}Z" : "")}.";
}

/// <summary>An original that is kept.</summary>
/// <param name="Id">Its own identifier, "o371": never a relocation's number.</param>
/// <param name="Eligible">Its keeping time is over.</param>
/// <param name="Blockers">What speaks against discarding it all the same.</param>
public sealed record OriginalView(
    string Id,
    long Relocation,
    long Run,
    string Machine,
    string Room,
    string Account,
    string Holding,
    string Place,
    long Files,
    long DataBytes,
    DateTimeOffset SetAside,
    DateTimeOffset KeptUntil,
    bool Eligible,
    bool WrittenTo,
    RecreatedSource? Recreated,
    IReadOnlyList<DiscardBlocker> Blockers
);

/// <summary>Something that speaks against discarding an original until someone acknowledges it.</summary>
public sealed record DiscardBlocker(string Code, string Text);

/// <summary>A wish to discard an original.</summary>
/// <param name="BeforeItsTime">Whether it may go before its keeping time is over.</param>
/// <param name="Acknowledge">Codes of blockers that the caller knows and accepts.</param>
/// <param name="Reason">Why, where one of these is given; it is kept in the history.</param>
public sealed record DiscardRequest(bool BeforeItsTime, IReadOnlyList<string>? Acknowledge, string? Reason);
