using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>Who or what ends a fault.</summary>
public enum FaultClass
{
    /// <summary>Nobody: it passes, and the docket continues automatically.</summary>
    Obstacle,

    /// <summary>A person has to put something right.</summary>
    NeedsPerson,

    /// <summary>The service or a person decided that the docket is not carried out now.</summary>
    Refused,

    /// <summary>
    /// Something that should not happen: a disk, a system or this program does not do what it promises.
    /// </summary>
    Error,
}

/// <summary>
/// What comes after a fault was corrected. Anyone who shows a failure writes the sentence and the command for it.
/// </summary>
[JsonConverter(typeof(WordConverter<NextStep>))]
public enum NextStep
{
    None,
    Wait,
    Retry,
    Return,
    FallBack,
    Gather,
    Discard,
    DiscardOriginalFirst,
    DiscardAcknowledged,
    Plan,
    Audit,
    Resume,
    Release,
    Begin,
    BackOut,
}

/// <summary>One kind of fault.</summary>
/// <param name="Code">Stable, hyphenated; what programs and reports go by.</param>
/// <param name="Next">What comes after it was corrected; <see cref="NextStep.Retry"/> stands for the same work again,
/// whichever it was.</param>
public sealed record FaultKind(string Code, FaultClass Class, NextStep Next)
{
    /// <summary>
    /// It passes when someone at the machine or at the service does something: closes a program, signs out, is there.
    /// </summary>
    public bool IsEndedByPerson { get; init; }

    /// <summary>The volume itself cannot be reached, or is not the one that is meant.</summary>
    public bool SaysThatVolumeIsAway =>
        this == FaultKinds.VolumeAbsent
        || this == FaultKinds.VolumeElsewhere
        || this == FaultKinds.VolumeTwice
        || this == FaultKinds.VolumeNotAsSurveyed;
}

/// <summary>The catalogue of everything that can stop a docket.</summary>
public static class FaultKinds
{
    private static readonly Dictionary<string, FaultKind> ByCode = new(StringComparer.Ordinal);

    // It passes without anybody's help.
    public static FaultKind FilesInUse { get; } = Obstacle("files-in-use", NextStep.Retry, byPerson: true);
    public static FaultKind ProgramRunning { get; } = Obstacle("program-running", NextStep.Retry, byPerson: true);
    public static FaultKind AccountAtWork { get; } = Obstacle("account-at-work", NextStep.Retry, byPerson: true);
    public static FaultKind PersonTold { get; } = Obstacle("person-told", NextStep.Wait, byPerson: true);
    public static FaultKind SpaceClaimed { get; } = Obstacle("space-claimed", NextStep.Wait);
    public static FaultKind NoPermit { get; } = Obstacle("no-permit", NextStep.Wait);
    public static FaultKind OutsideHours { get; } = Obstacle("outside-hours", NextStep.Wait);
    public static FaultKind HeldBack { get; } = Obstacle("held-back", NextStep.Wait);
    public static FaultKind PersonWanted { get; } = Obstacle("person-wanted", NextStep.Begin, byPerson: true);
    public static FaultKind RunPaused { get; } = Obstacle("run-paused", NextStep.Resume);
    public static FaultKind MachineHeld { get; } = Obstacle("machine-held", NextStep.Release, byPerson: true);

    // The service or a person said no.
    public static FaultKind PermitRefused { get; } = Refused("permit-refused");
    public static FaultKind PermitExpired { get; } = Refused("permit-expired");
    public static FaultKind DocketExpired { get; } = Refused("docket-expired");
    public static FaultKind BackedOutByHand { get; } = Refused("backed-out-by-hand");

    // What the plan rests on has changed, or is not so on this machine.
    public static FaultKind AccountMissing { get; } = Person("account-missing", NextStep.Plan);
    public static FaultKind CommandMissing { get; } = Person("command-missing", NextStep.Plan);
    public static FaultKind ExchangeAcrossVolumes { get; } = Person("exchange-across-volumes", NextStep.Plan);
    public static FaultKind FirstStartElsewhere { get; } = Person("first-start-elsewhere", NextStep.Plan);
    public static FaultKind FormerSettingElsewhere { get; } = Person("former-setting-elsewhere", NextStep.None);
    public static FaultKind NothingToAdopt { get; } = Person("nothing-to-adopt", NextStep.Plan);
    public static FaultKind NothingToGather { get; } = Person("nothing-to-gather", NextStep.None);
    public static FaultKind PathRefused { get; } = Person("path-refused", NextStep.Plan);
    public static FaultKind PointerChanged { get; } = Person("pointer-changed", NextStep.Plan);
    public static FaultKind PointerKindUnknown { get; } = Person("pointer-kind-unknown", NextStep.Plan);
    public static FaultKind PointerShape { get; } = Person("pointer-shape", NextStep.Plan);
    public static FaultKind ReceiptUnfit { get; } = Person("receipt-unfit", NextStep.Plan);
    public static FaultKind SourceForeign { get; } = Person("source-foreign", NextStep.Plan);
    public static FaultKind SourceIsVolume { get; } = Person("source-is-volume", NextStep.Plan);
    public static FaultKind SourceMissing { get; } = Person("source-missing", NextStep.Plan);
    public static FaultKind TargetInsideSource { get; } = Person("target-inside-source", NextStep.Plan);
    public static FaultKind ValueRefused { get; } = Person("value-refused", NextStep.Plan);
    public static FaultKind VolumeNotAsSurveyed { get; } = Person("volume-not-as-surveyed", NextStep.Plan);
    public static FaultKind KeyRefused { get; } = Person("key-refused", NextStep.Plan);

    // What the installation of the agent does not allow.
    public static FaultKind CommandsNotAllowed { get; } = Person("commands-not-allowed", NextStep.Retry);
    public static FaultKind NotAllowedHere { get; } = Person("docket-below-floor", NextStep.Retry);
    public static FaultKind SettingNotAllowed { get; } = Person("setting-not-allowed", NextStep.Retry);
    public static FaultKind FirstStartNotHere { get; } = Person("first-start-not-here", NextStep.Retry);
    public static FaultKind RightsNotTaken { get; } = Person("rights-not-taken", NextStep.Retry);

    // Someone has to do something at the machine.
    public static FaultKind AccessDenied { get; } = Person("access-denied", NextStep.Retry);
    public static FaultKind AccountFilesLocked { get; } = Person("account-files-locked", NextStep.Retry);
    public static FaultKind AccountSettingsInUse { get; } = Person("account-settings-in-use", NextStep.Retry);
    public static FaultKind AccountSettingsMissing { get; } = Person("account-settings-missing", NextStep.Plan);
    public static FaultKind AccountSettingsReadOnly { get; } = Person("account-settings-read-only", NextStep.Retry);
    public static FaultKind BehindLink { get; } = Person("behind-link", NextStep.Retry);
    public static FaultKind CannotBeCopied { get; } = Person("cannot-be-copied", NextStep.Retry);
    public static FaultKind DeviceNode { get; } = Person("device-node", NextStep.Retry);
    public static FaultKind TreeTooDeep { get; } = Person("tree-too-deep", NextStep.Retry);
    public static FaultKind LinkNotThere { get; } = Person("link-not-there", NextStep.Retry);
    public static FaultKind NotForChecks { get; } = Person("not-for-checks", NextStep.None);
    public static FaultKind CommandDidNotSet { get; } = Person("command-did-not-set", NextStep.Retry);
    public static FaultKind CommandFailed { get; } = Person("command-failed", NextStep.Retry);
    public static FaultKind DocketFolderReplaced { get; } = Person("docket-folder-replaced", NextStep.Retry);
    public static FaultKind FirstStartMadeNothing { get; } = Person("first-start-made-nothing", NextStep.Retry);
    public static FaultKind NoClosedFolder { get; } = Person("no-closed-folder", NextStep.Retry);
    public static FaultKind OtherVolume { get; } = Person("other-volume", NextStep.Retry);
    public static FaultKind SettingOfAnother { get; } = Person("setting-of-another", NextStep.Retry);
    public static FaultKind SettingsNotUnderstood { get; } = Person("settings-not-understood", NextStep.Retry);
    public static FaultKind SourceChanged { get; } = Person("source-changed", NextStep.Retry);
    public static FaultKind SourceChanging { get; } = Person("source-changing", NextStep.Retry);
    public static FaultKind TargetFuller { get; } = Person("target-fuller-than-surveyed", NextStep.Retry);
    public static FaultKind TargetMissing { get; } = Person("target-missing", NextStep.Retry);
    public static FaultKind TargetMovedAway { get; } = Person("target-moved-away", NextStep.Retry);
    public static FaultKind TargetNotEmpty { get; } = Person("target-not-empty", NextStep.Retry);
    public static FaultKind TargetNotEqual { get; } = Person("target-not-equal", NextStep.Retry);
    public static FaultKind TargetReplaced { get; } = Person("target-replaced", NextStep.Retry);
    public static FaultKind TargetTooOpen { get; } = Person("target-too-open", NextStep.Retry);
    public static FaultKind TimeNotKept { get; } = Person("time-not-kept", NextStep.Retry);
    public static FaultKind VolumeAbsent { get; } = Person("volume-absent", NextStep.Retry);
    public static FaultKind VolumeElsewhere { get; } = Person("volume-elsewhere", NextStep.Retry);
    public static FaultKind VolumeFull { get; } = Person("volume-full", NextStep.Retry);
    public static FaultKind VolumeReadOnly { get; } = Person("volume-read-only", NextStep.Retry);
    public static FaultKind VolumeTwice { get; } = Person("volume-twice", NextStep.Retry);

    // Originals.
    public static FaultKind DiscardWithoutTerms { get; } = Person("discard-without-terms", NextStep.Discard);
    public static FaultKind LivePlaceMissing { get; } = Person("live-place-missing", NextStep.Retry);
    public static FaultKind LivePlaceThere { get; } = Person("live-place-there", NextStep.Return);
    public static FaultKind OriginalKept { get; } = Person("original-kept", NextStep.Discard);
    public static FaultKind OriginalMissing { get; } = Person("original-missing", NextStep.None);
    public static FaultKind OriginalUnknown { get; } = Person("original-unknown", NextStep.None);
    public static FaultKind OriginalWrittenTo { get; } = Person("original-written-to", NextStep.Discard);
    public static FaultKind Shrunk { get; } = Person(DiscardTerms.Shrunk, NextStep.DiscardAcknowledged);

    // A disk, a system, or this program itself.
    public static FaultKind AccountCommandFailed { get; } = Error("account-command-failed");
    public static FaultKind CopyDiffers { get; } = Error("copy-differs");
    public static FaultKind CopyMissing { get; } = Error("copy-missing");
    public static FaultKind DocketFolderMissing { get; } = Error("docket-folder-missing");
    public static FaultKind FileOperationFailed { get; } = Error("file-operation-failed");
    public static FaultKind FileUnreadable { get; } = Error("file-unreadable");
    public static FaultKind OriginalChanged { get; } = Error("original-changed");
    public static FaultKind SystemDisagrees { get; } = Error("system-disagrees");
    public static FaultKind Unforeseen { get; } = Error("unforeseen");

    /// <summary>All kinds, by code.</summary>
    public static IReadOnlyCollection<FaultKind> All => ByCode.Values;

    /// <summary>The kind of a code; null where another version named it.</summary>
    public static FaultKind? Find(string code) => ByCode.GetValueOrDefault(code);

    private static FaultKind Obstacle(string code, NextStep next, bool byPerson = false) =>
        Add(new FaultKind(code, FaultClass.Obstacle, next) { IsEndedByPerson = byPerson });

    private static FaultKind Refused(string code) => Add(new FaultKind(code, FaultClass.Refused, NextStep.Retry));

    private static FaultKind Person(string code, NextStep next) =>
        Add(new FaultKind(code, FaultClass.NeedsPerson, next));

    private static FaultKind Error(string code) => Add(new FaultKind(code, FaultClass.Error, NextStep.Retry));

    private static FaultKind Add(FaultKind kind)
    {
        ByCode.Add(kind.Code, kind);
        return kind;
    }
}
