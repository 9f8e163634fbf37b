using System.Text.Json.Serialization;
using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>
/// What a token or session may do. Each level may do what those before it may, but for approving, which is a second
/// person's.
/// </summary>
[JsonConverter(typeof(WordConverter<AccessLevel>))]
public enum AccessLevel
{
    Reader,
    Technician,
    Approver,
    Steward,
}

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

/// <summary>A token, without its secret.</summary>
/// <param name="MadeBy">Null for the first steward's.</param>
/// <param name="Expires">Null for never.</param>
public sealed record TokenView(
    string Name,
    AccessLevel Level,
    string? MadeBy,
    DateTimeOffset? MadeAt,
    DateTimeOffset? Expires,
    DateTimeOffset? RevokedAt
);

/// <summary>Who is asking.</summary>
public sealed record Identity(string Name, AccessLevel Level);

/// <summary>The service itself.</summary>
public sealed record ServiceStatus(
    string Version,
    DateTimeOffset StartedAt,
    int Machines,
    int Silent,
    long LastRun,
    Identity You
);

/// <summary>A token is exchanged for a console session.</summary>
public sealed record SignIn(string Token);

/// <summary>Asks for a token with an access level.</summary>
/// <param name="Days">Days after which it expires; null for never.</param>
public sealed record TokenRequest(string Name, AccessLevel Level, int? Days = null);

/// <summary>Asks for a new secret in place of a token's old one.</summary>
public sealed record TokenReplacement(string Name);

/// <summary>A new token; shown once.</summary>
public sealed record TokenMade(string Name, AccessLevel Level, string Token);

/// <summary>Asks for an invite.</summary>
/// <param name="Machines">How many machines may use it.</param>
/// <param name="Hours">How long it is valid, in hours.</param>
/// <param name="Again">Name of the machine that enrols again after it was reinstalled.</param>
public sealed record InviteRequest(string? Room, int Machines = 1, int Hours = 24, string? Again = null);

/// <summary>An invite for agents.</summary>
public sealed record Invite(string Code, DateTimeOffset Expires, int Machines, string? Room);

/// <summary>An invite that may still be used. Its code is shown only to the person who makes it.</summary>
/// <param name="Id">Names it, to revoke it.</param>
/// <param name="Again">The machine that may use it to enrol again; null for new machines.</param>
/// <param name="Left">How many machines may still use it.</param>
public sealed record OpenInvite(
    string Id,
    string? Room,
    string? Again,
    int Left,
    DateTimeOffset Expires,
    string MadeBy
);

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
);

/// <summary>Forgets a machine.</summary>
/// <param name="WithOriginals">Although it keeps originals, or has relocations that have not ended.</param>
public sealed record ForgetRequest(string Machine, bool WithOriginals);

/// <summary>
/// Says what is to be left free on the machines of a room, or (no room) of the fleet; what is null stays, and with both
/// null the reserve is taken back.
/// </summary>
public sealed record ReserveRequest(string? Room, string? System, string? Others);

/// <summary>
/// What is to be left free on the machines of a room, or (no room) on those of rooms without a reserve of their own.
/// </summary>
/// <param name="System">Of the system volume: a size such as "60 GB" or a share such as "25%".</param>
/// <param name="Others">Of every other volume.</param>
public sealed record Reserve(string? Room, string System, string Others, string SaidBy);

/// <summary>Says what machines are for; null takes it back.</summary>
public sealed record TagRequest(IReadOnlyList<string> Machines, string? Tag);

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

/// <summary>How full a volume is and when it reaches its reserve.</summary>
/// <param name="Growth">How it fills up; null where the history is too short.</param>
/// <param name="DaysLeft">Days until its free space reaches the reserve, at the median slope; null when it does not
/// fill up or nothing is known.</param>
/// <param name="EarliestDaysLeft">The same at the upper end of the 90 % interval.</param>
/// <param name="LatestDaysLeft">At its lower end; null where it may never come.</param>
public sealed record VolumeSpace(
    string Machine,
    string Room,
    string Root,
    string Label,
    bool System,
    Attachment Attached,
    long SizeBytes,
    long FreeBytes,
    long ReserveBytes,
    Growth? Growth,
    double? DaysLeft,
    double? EarliestDaysLeft,
    double? LatestDaysLeft
);

/// <summary>
/// What takes space on a volume: an account's holding, originals that are kept, or what Furlough does not manage.
/// </summary>
/// <param name="Account">Null for what is nobody's.</param>
/// <param name="Style">live, original or other.</param>
public sealed record SpaceShare(string Root, string? Account, string Name, long Files, long DataBytes, string Style);

/// <summary>What a volume held.</summary>
public sealed record SpaceMoment(string Root, DateTimeOffset At, long UsedBytes);

/// <summary>What takes the space of a machine, and how that has grown.</summary>
public sealed record MachineSpace(
    string Machine,
    string Room,
    IReadOnlyList<VolumeSpace> Volumes,
    IReadOnlyList<SpaceShare> Shares,
    IReadOnlyList<SpaceMoment> History
);

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

/// <summary>Someone accepted a hazard.</summary>
public sealed record Consent(string Hazard, string Reason, string By, DateTimeOffset At);

/// <summary>Accepts every hazard of a code in a plan.</summary>
public sealed record ConsentRequest(string Hazard, string Reason);

/// <summary>A plan in a list.</summary>
public sealed record PlanSummary(
    long Number,
    string Title,
    string Digest,
    DateTimeOffset MadeAt,
    string MadeBy,
    int Machines,
    int Relocations,
    long DataBytes,
    int Blocking,
    int ConsentsWanted
);

/// <summary>A plan.</summary>
/// <param name="ConsentsWanted">Codes of hazards that someone must accept before a run.</param>
/// <param name="Overtaken">What has changed on the machines since it was made; then it cannot be carried out any
/// more.</param>
/// <param name="Hours">The first of its allowed hours when it was made; empty where all are allowed.</param>
/// <param name="Runs">The runs that carried it out.</param>
public sealed record PlanView(
    long Number,
    string Title,
    string Digest,
    DateTimeOffset MadeAt,
    string MadeBy,
    IReadOnlyList<PlannedMachine> Machines,
    IReadOnlyList<PlannedRelocation> Relocations,
    IReadOnlyList<Hazard> Hazards,
    IReadOnlyList<WaveForecast> Calendar,
    IReadOnlyList<OpenHours> Hours,
    TimeSpan Keep,
    IReadOnlyList<Consent> Consents,
    IReadOnlyList<string> ConsentsWanted,
    IReadOnlyList<string> Overtaken,
    IReadOnlyList<long> Runs
);

/// <summary>Starts a run.</summary>
public sealed record RunRequest(long Plan);

/// <summary>A run.</summary>
/// <param name="Counts">Relocations by state.</param>
/// <param name="Waits">What relocations wait for, by cause.</param>
/// <param name="WaitsForPerson">Nothing goes on any more until someone does something.</param>
/// <param name="Hours">The allowed hours that are open now, or else the next ones; null where all are allowed, where
/// none are to come, or when it has ended.</param>
/// <param name="HoursOpen">Work may begin now.</param>
public sealed record RunView(
    long Number,
    long Plan,
    string Title,
    RunState State,
    string StartedBy,
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt,
    int Machines,
    int Relocations,
    long DataBytes,
    long DoneBytes,
    IReadOnlyDictionary<string, int> Counts,
    IReadOnlyList<FailureGroup> Failures,
    IReadOnlyList<FailureGroup> Waits,
    bool WaitsForPerson,
    OpenHours? Hours,
    bool HoursOpen,
    string? ApprovedBy
)
{
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

/// <summary>Skips relocations, with a reason.</summary>
/// <param name="Cause">Of a run's: a failure's code; null for all failed ones. Not for a single relocation.</param>
public sealed record SkipRequest(string Reason, string? Cause = null);

/// <summary>Holds machines, so that nothing is begun on them, or (no reason) lets them go on.</summary>
public sealed record HoldRequest(IReadOnlyList<string> Machines, string? Reason);

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

/// <summary>A relocation.</summary>
/// <param name="Live">Where the data lives; unknown when the machine has been silent.</param>
/// <param name="AsOf">When that was last known.</param>
/// <param name="Forecast">What the plan expected.</param>
/// <param name="Times">How long its steps took; empty where they were cut short.</param>
public sealed record RelocationView(
    long Number,
    long Run,
    string Machine,
    string Room,
    string Account,
    string Holding,
    RelocationState State,
    Step? Step,
    Live Live,
    DateTimeOffset AsOf,
    string Source,
    string Target,
    Method Method,
    string Wave,
    long Files,
    long DataBytes,
    Failure? Failure,
    Progress? Progress,
    IReadOnlyList<PointerHistory> Pointers,
    IReadOnlyList<string> Notes,
    bool HasOriginal,
    RelocationForecast? Forecast,
    IReadOnlyList<StepTime> Times
);

/// <summary>Makes an original live again.</summary>
/// <param name="MissingFrom">The time from which work is missing afterwards, said by the person who accepts that; to
/// the minute.</param>
public sealed record FallBackRequest(DateTimeOffset? MissingFrom);

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

/// <summary>An audit in a list.</summary>
public sealed record AuditSummary(
    long Number,
    DateTimeOffset MadeAt,
    string MadeBy,
    int Findings,
    int Blocking,
    Basis? Basis
);

/// <summary>An audit.</summary>
/// <param name="Basis">On what it rests; null for those made before that was kept.</param>
public sealed record AuditView(
    long Number,
    DateTimeOffset MadeAt,
    string MadeBy,
    int Machines,
    IReadOnlyList<Finding> Findings,
    Basis? Basis
);

/// <summary>On what a total rests: a figure of machines that have not been seen is worth little.</summary>
/// <param name="Machines">How many there are.</param>
/// <param name="Surveyed">How many of them were ever surveyed: only these are counted in.</param>
/// <param name="Silent">How many of them do not answer now.</param>
/// <param name="Oldest">When the first of the surveys was handed in; null where there is none.</param>
public sealed record Basis(int Machines, int Surveyed, int Silent, DateTimeOffset? Oldest)
{
    /// <summary>On what a figure of these machines rests.</summary>
    public static Basis Of(IReadOnlyCollection<(DateTimeOffset? SurveyedAt, bool Silent)> machines) =>
        new(
            machines.Count,
            machines.Count(m => m.SurveyedAt is not null),
            machines.Count(m => m.Silent),
            machines.Min(m => m.SurveyedAt)
        );

    /// <summary>"Rests on 58 of 60 machines; 2 are silent. The oldest survey is of 2026-11-26 14:00Z."</summary>
    public override string ToString() =>
        Machines == 0
            ? "There are no machines yet."
            : $"Rests on {(Surveyed == Machines ? Words.Count(Machines, "machine") : $"{Surveyed} of {Words.Count(Machines, "machine")}")}{(Silent == 0 ? "" : $"; {Silent} {(Silent == 1 ? "is" : "are")} silent")}.{(Oldest is { } oldest ? $" The oldest survey is of {oldest.UtcDateTime:yyyy-MM-dd HH:mm}Z." : "")}";
}

/// <summary>What people and programs can be notified of.</summary>
[JsonConverter(typeof(WordConverter<NotificationEvent>))]
public enum NotificationEvent
{
    RunProposed,
    WaveDone,
    RunHalted,
    RunEnded,
    ErrandRaised,
    Findings,
    AccountKeptOut,
    ReportRefused,
}

/// <summary>
/// What became of a notification. Uncertain: the service ended while it was being sent; it is not sent twice.
/// </summary>
[JsonConverter(typeof(WordConverter<NotificationState>))]
public enum NotificationState
{
    Waiting,
    Sending,
    Sent,
    Uncertain,
    GivenUp,
}

/// <summary>
/// Asks that someone be notified of events from now on, by mail or by a call to a web address; one of the two.
/// </summary>
/// <param name="On">The events; empty for all.</param>
public sealed record ReceiverRequest(string Name, string? Mail, string? Call, IReadOnlyList<NotificationEvent> On);

/// <summary>Someone who is notified of events.</summary>
/// <param name="Secret">With which calls are signed; shown once, when the receiver is added.</param>
/// <param name="Troubles">What could not be sent yet, or was cancelled.</param>
public sealed record ReceiverView(
    string Name,
    string? Mail,
    string? Call,
    IReadOnlyList<NotificationEvent> On,
    string AddedBy,
    DateTimeOffset AddedAt,
    int Sent,
    int Waiting,
    IReadOnlyList<NotificationTrouble> Troubles,
    string? Secret = null
);

/// <summary>A notification that did not arrive, or may not have.</summary>
/// <param name="Next">When it is tried again; null for never.</param>
public sealed record NotificationTrouble(
    NotificationEvent Event,
    string Subject,
    NotificationState State,
    int Attempts,
    string Why,
    DateTimeOffset? Next
);

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

/// <summary>A hint that something changed; ask the API for what it is now.</summary>
public sealed record LiveEvent(string Kind, string Subject);
