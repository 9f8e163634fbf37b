using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>A block on a shelf: a holding's data, planned data or an original.</summary>
/// <param name="Style">live, planned, original, drifted or unreadable.</param>
public sealed record ShelfBlock(string Label, long DataBytes, string Style);

/// <summary>A volume drawn as a shelf.</summary>
/// <param name="Identity">Its UUID or serial, or the marker where the file system has none: so briefs may name
/// it.</param>
public sealed record Shelf(
    string Root,
    string Label,
    bool System,
    Attachment Attached,
    Medium Medium,
    string FileSystem,
    long SizeBytes,
    long FreeBytes,
    long ReserveBytes,
    IReadOnlyList<ShelfBlock> Blocks,
    string Identity
);

/// <summary>The shelves of a machine.</summary>
public sealed record MachineShelves(Guid Machine, IReadOnlyList<Shelf> Shelves);

/// <summary>How a shelf is filled, in sums of bytes.</summary>
public sealed record ShelfSums(
    long SizeBytes,
    long FreeBytes,
    long ReserveBytes,
    long LiveBytes,
    long OriginalBytes,
    long PlannedBytes
)
{
    /// <summary>Sums up a shelf.</summary>
    public static ShelfSums Of(Shelf shelf)
    {
        return new ShelfSums(
            shelf.SizeBytes,
            shelf.FreeBytes,
            shelf.ReserveBytes,
            Sum("live", "drifted", "unreadable"),
            Sum("original"),
            Sum("planned")
        );

        long Sum(params ReadOnlySpan<string> styles)
        {
            var sum = 0L;
            foreach (var block in shelf.Blocks)
                if (styles.Contains(block.Style))
                    sum += block.DataBytes;
            return sum;
        }
    }
}

/// <summary>A machine in a list.</summary>
public sealed record MachineSummary(
    Guid Id,
    string Name,
    string Room,
    Standing Standing,
    DateTimeOffset? LastSeen,
    DateTimeOffset? SurveyedAt,
    string? OperatingSystem,
    int Holdings,
    long DataBytes,
    ShelfSums? System,
    string? Attention,
    string? Tag,
    string? HeldBy
)
{
    /// <summary>A survey was asked for, and none that was begun since has come.</summary>
    public bool SurveyWanted { get; init; }
}

/// <summary>Forgets a machine.</summary>
/// <param name="WithOriginals">Although it keeps originals, or has relocations that have not ended.</param>
public sealed record ForgetRequest(string Machine, bool WithOriginals);

/// <summary>Says what machines are for; null takes it back.</summary>
public sealed record TagRequest(IReadOnlyList<string> Machines, string? Tag);

/// <summary>Holds machines, so that nothing is begun on them, or (no reason) lets them go on.</summary>
public sealed record HoldRequest(IReadOnlyList<string> Machines, string? Reason);

/// <summary>A holding of a machine with its last relocation.</summary>
/// <param name="Immovable">Why it cannot be moved; null where nothing keeps it.</param>
/// <param name="ToBeMade">It is not there yet, and its program makes it when it is started once.</param>
public sealed record HoldingView(
    string Account,
    HoldingKind Kind,
    string Holding,
    string? Place,
    bool Present,
    long Files,
    long DataBytes,
    long HiddenBytes,
    IReadOnlyList<PointerFacts> Pointers,
    IReadOnlyList<string> InUse,
    RelocationView? Relocation,
    string? Immovable = null,
    bool ToBeMade = false
);

/// <summary>A machine with everything known about it.</summary>
/// <param name="Drills">The last one with each volume.</param>
public sealed record MachineDetail(
    MachineSummary Machine,
    IReadOnlyList<Shelf> Shelves,
    IReadOnlyList<AccountFacts> Accounts,
    IReadOnlyList<HoldingView> Holdings,
    IReadOnlyList<Finding> Findings,
    IReadOnlyList<string> Notes,
    IReadOnlyList<DrillView> Drills
);
