using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>A volume before and after.</summary>
/// <param name="FreeBeforeBytes">What was free when the plan was made; null where there is no before.</param>
/// <param name="FreeBytes">What is free by the last survey.</param>
/// <param name="OriginalBytes">What originals take that wait for being discarded.</param>
public sealed record VolumeChange(
    string Machine,
    string Root,
    bool System,
    long SizeBytes,
    long? FreeBeforeBytes,
    long FreeBytes,
    long ReserveBytes,
    long OriginalBytes
);

/// <summary>A table of a report.</summary>
/// <param name="Name">One word.</param>
/// <param name="Title">What it shows.</param>
public sealed record ReportTable(
    string Name,
    string Title,
    IReadOnlyList<string> Heads,
    IReadOnlyList<IReadOnlyList<string>> Rows
);

/// <summary>A report of a run, a room or an audit.</summary>
/// <param name="Summary">What there is to say, in sentences.</param>
/// <param name="Space">The volumes of its machines; empty where they do not matter.</param>
public sealed record Report(
    string Title,
    DateTimeOffset MadeAt,
    string MadeBy,
    IReadOnlyList<string> Summary,
    IReadOnlyList<VolumeChange> Space,
    IReadOnlyList<ReportTable> Tables
);
