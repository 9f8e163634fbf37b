using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>A brief as text.</summary>
public sealed record BriefText(string Brief);

/// <summary>What one line of a brief means for this fleet.</summary>
/// <param name="Line">From 1; 0 for the machines as a whole.</param>
public sealed record BriefLine(
    int Line,
    string What,
    int Machines,
    int Holdings,
    long DataBytes,
    IReadOnlyList<string> Missed
);

/// <summary>Something that is wrong in a text, from line and column 1.</summary>
/// <param name="Expected">What would be right.</param>
public sealed record PlaceError(int Line, int Column, string Message, string Expected);

/// <summary>What a checked brief means for this fleet; or what is wrong with it, and then nothing else.</summary>
/// <param name="Holdings">Those that its items mean.</param>
/// <param name="Missed">Everything that some line names and nothing is.</param>
public sealed record BriefCheck(
    string Title,
    int Machines,
    int Holdings,
    IReadOnlyList<BriefLine> Lines,
    IReadOnlyList<string> Missed,
    IReadOnlyList<PlaceError> Errors
);

/// <summary>Asks what to relocate so that system volumes have space.</summary>
/// <param name="Rooms">Rooms; empty for all.</param>
/// <param name="Machines">Name patterns; empty for all.</param>
/// <param name="Free">So much more is to be free, such as `60 GB`; or null.</param>
/// <param name="Until">So much is to be free at the end, such as `25%`; one of the two is given.</param>
/// <param name="Reserve">What is to be left free on the other volumes.</param>
public sealed record SuggestRequest(
    IReadOnlyList<string> Rooms,
    IReadOnlyList<string> Machines,
    IReadOnlyList<string> Except,
    string? Free,
    string? Until,
    string Reserve = "10%"
);

/// <summary>A suggested relocation.</summary>
public sealed record MoveView(
    string Account,
    string Holding,
    long FreesBytes,
    string Target,
    Span Work,
    Span Outage,
    double Disturbance
);

/// <summary>What is suggested for a machine.</summary>
/// <param name="Gap">By how much a better choice may exist at most, as a share; 0 when none does, null when it is not
/// known whether the goal can be reached.</param>
public sealed record MachineSuggestionView(
    string Machine,
    string Room,
    long WantedBytes,
    long FreesBytes,
    double Disturbance,
    bool Reached,
    double? Gap,
    IReadOnlyList<MoveView> Moves,
    IReadOnlyList<string> NextBest,
    double? NextBestDisturbance,
    string Why
);

/// <summary>A suggestion, as a brief and with reasons.</summary>
/// <param name="Brief">Null when nothing can be suggested.</param>
/// <param name="Weights">How disturbance was counted, in words.</param>
/// <param name="Originals">Originals that take room on the system volumes concerned: discarding them frees it without
/// relocating anything.</param>
public sealed record SuggestionView(
    string? Brief,
    string Weights,
    IReadOnlyList<MachineSuggestionView> Machines,
    KeptOriginals Originals
);
