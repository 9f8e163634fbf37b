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
    public override string ToString()
    {
        if (Count == 0)
            return "No originals take room.";
        var due = Due switch
        {
            0 => "none can be discarded yet",
            _ when Due == Count => "all can be discarded now",
            _ => $"{Due} of them, {Words.Size(DueBytes)}, can be discarded now",
        };
        var next = FirstDue is { } at
            ? $", the {(Due == 0 ? "first" : "next")} on {at.UtcDateTime:yyyy-MM-dd HH:mm}Z"
            : "";
        return $"{Words.Size(Bytes)} are in {Words.Count(Count, "original")}: {due}{next}.";
    }
}

/// <summary>An original that is kept.</summary>
public sealed record OriginalView
{
    /// <summary>Its own identifier, "o371": never a relocation's number.</summary>
    public required string Id { get; init; }

    public required long Relocation { get; init; }

    public required long Run { get; init; }

    public required string Machine { get; init; }

    public required string Room { get; init; }

    public required string Account { get; init; }

    public required string Holding { get; init; }

    public required string Place { get; init; }

    public required long Files { get; init; }

    public required long DataBytes { get; init; }

    public required DateTimeOffset SetAside { get; init; }

    public required DateTimeOffset KeptUntil { get; init; }

    /// <summary>Its keeping time is over.</summary>
    public required bool Eligible { get; init; }

    public required bool WrittenTo { get; init; }

    public required RecreatedSource? Recreated { get; init; }

    /// <summary>What speaks against discarding it all the same.</summary>
    public required IReadOnlyList<DiscardBlocker> Blockers { get; init; }
}

/// <summary>Something that speaks against discarding an original until someone acknowledges it.</summary>
public sealed record DiscardBlocker(string Code, string Text);

/// <summary>A wish to discard an original.</summary>
/// <param name="BeforeItsTime">Whether it may go before its keeping time is over.</param>
/// <param name="Acknowledge">Codes of blockers that the caller knows and accepts.</param>
/// <param name="Reason">Why, where one of these is given; it is kept in the history.</param>
public sealed record DiscardRequest(bool BeforeItsTime, IReadOnlyList<string>? Acknowledge, string? Reason);
