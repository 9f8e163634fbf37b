using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>A kind card as text.</summary>
/// <param name="On">Names or patterns of the machines that look for it; null or empty for all.</param>
public sealed record KindText(string Card, IReadOnlyList<string>? On = null);

/// <summary>A kind card, and who added it.</summary>
public sealed record KindView(
    KindCard Kind,
    string Card,
    IReadOnlyList<string> On,
    string AddedBy,
    DateTimeOffset? AddedAt
);

/// <summary>Asks one machine to look for what a kind card describes, without keeping the card.</summary>
public sealed record KindTrialRequest(string Card, string Machine);

/// <summary>What a machine found by a kind card.</summary>
/// <param name="CommonFolder">For a card of a folder that should be empty; null when it is not there.</param>
/// <param name="Notes">What the machine could not read.</param>
public sealed record KindTrial(
    KindCard Kind,
    string Machine,
    IReadOnlyList<HoldingFacts> Found,
    CommonFolderFacts? CommonFolder,
    IReadOnlyList<string> Notes
);
