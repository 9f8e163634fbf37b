using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>What a docket asks for.</summary>
[JsonConverter(typeof(WordConverter<DocketWork>))]
public enum DocketWork
{
    Relocate,
    Return,
    FallBack,
    Discard,
    Gather,
}

/// <summary>What follows from what a docket asks for.</summary>
public static class DocketWorks
{
    /// <summary>
    /// The work takes the holding to another place; else the holding stays where it lives, at the docket's target.
    /// </summary>
    public static bool MovesHolding(this DocketWork work) =>
        work is DocketWork.Relocate or DocketWork.Return or DocketWork.FallBack;
}

/// <summary>
/// How the data gets to its target: copied while nobody works; copied while people work, then caught up; renamed on its
/// own volume; it is there already. Or no data moves: an install path's setting changes; a folder's setting changes and
/// what is in the folder stays where it is.
/// </summary>
[JsonConverter(typeof(WordConverter<Method>))]
public enum Method
{
    Cold,
    Warm,
    Exchange,
    Adopt,
    Setting,
    RepointOnly,
}

/// <summary>What follows from methods.</summary>
public static class MethodsOfDockets
{
    /// <summary>Data moves; else only settings change.</summary>
    public static bool MovesData(this Method method) => method is not (Method.Setting or Method.RepointOnly);

    /// <summary>
    /// How it is said where the holding is: "the data lives at", or, where only settings change, where these lead.
    /// </summary>
    public static string Lives(this Method method) => method.MovesData() ? "the data lives at" : "the settings lead to";
}

/// <summary>
/// One pointer to be changed: it must read <paramref name="Expected"/>; <paramref name="Next"/> is its new raw value,
/// null to spell the target in the pointer's own syntax.
/// </summary>
public sealed record PointerChange(PointerAddress Address, PointerValue Expected, PointerValue? Next)
{
    /// <summary>
    /// Path below the docket's places to which it leads: that of a holding which lives inside the one that is moved.
    /// Empty for the holding itself.
    /// </summary>
    public string Within { get; init; } = "";
}

/// <summary>
/// A receipt by which a holding is known at its target, with <see cref="Method.Adopt"/>; without one the target must
/// equal the source.
/// </summary>
/// <param name="Docket">The docket that wrote the receipt; names its folder.</param>
/// <param name="Digest">SHA-256 of the receipt's body, hexadecimal: the very receipt that the service found
/// genuine.</param>
public sealed record Adoption(Guid Docket, string Digest);

/// <summary>That people who are signed in are notified before they are locked out.</summary>
/// <param name="Before">How long before.</param>
/// <param name="PutOffs">How often they may put it off, each time by as long again.</param>
/// <param name="Language">ISO 639-1.</param>
public sealed record Telling(TimeSpan Before, int PutOffs, string Language);

/// <summary>What they are shown, and what they choose to put it off, in their language.</summary>
public sealed record ToldText(string Title, string Text, string PutOff);

/// <summary>How a docket's work treats the machine and the people at it.</summary>
/// <param name="BytesPerSecond">Most bytes that are copied or read back in a second; null for as many as there
/// are.</param>
/// <param name="GiveWay">Processor and disks serve everybody else first.</param>
/// <param name="FilesInUseWait">How long quiesce waits for files in use to be closed.</param>
/// <param name="KeepWaiting">After that the relocation lets the account sign in again and waits for the files; else it
/// fails with the list.</param>
public sealed record Terms(long? BytesPerSecond, bool GiveWay, TimeSpan FilesInUseWait, bool KeepWaiting)
{
    /// <summary>People are notified before they are locked out; null: they are not.</summary>
    public Telling? Telling { get; init; }

    /// <summary>At full speed, and files in use are a failure.</summary>
    public static Terms Plain { get; } = new(null, false, TimeSpan.Zero, false);
}

/// <summary>On what grounds an original may be discarded. The agent looks at them too.</summary>
/// <param name="KeptUntil">Until when it is kept.</param>
/// <param name="BeforeItsTime">Why it may go earlier; null: it may not.</param>
/// <param name="Acknowledged">Codes of what someone knows and accepts: <see cref="Shrunk"/>.</param>
public sealed record DiscardTerms(DateTimeOffset KeptUntil, string? BeforeItsTime, IReadOnlyList<string> Acknowledged)
{
    /// <summary>The live folder holds far less than what was relocated.</summary>
    public const string Shrunk = "shrunk";
}

/// <summary>Everything an agent needs for one piece of work on one holding. Travels signed.</summary>
public sealed record Docket
{
    /// <summary>Identity of the docket (UUIDv7); also names its staging folder, receipt and original.</summary>
    public required Guid Id { get; init; }

    /// <summary>The relocation's number, for people.</summary>
    public required long Relocation { get; init; }

    /// <summary>The only machine that may carry it out.</summary>
    public required Guid Machine { get; init; }

    /// <summary>Counts the dockets of one relocation; a lower one is never begun after a higher one.</summary>
    public required int Supersession { get; init; }

    public required DateTimeOffset NotBefore { get; init; }

    public required DateTimeOffset NotAfter { get; init; }

    public required DocketWork Work { get; init; }

    public required Method Method { get; init; }

    public required HoldingName Holding { get; init; }

    public required string AccountId { get; init; }

    public required Place Source { get; init; }

    public required Place Target { get; init; }

    public required VolumeIdentity SourceVolume { get; init; }

    public required VolumeIdentity TargetVolume { get; init; }

    /// <summary>
    /// From which part of the target's path on folders made for it belong to the account; parts before it, and all of
    /// them where it is null, belong to the system.
    /// </summary>
    public required int? OwnedFrom { get; init; }

    public required IReadOnlyList<PointerChange> Pointers { get; init; }

    public required long Files { get; init; }

    /// <summary>Expected size in bytes, from the survey.</summary>
    public required long DataBytes { get; init; }

    /// <summary>
    /// The dockets whose originals are removed (<see cref="DocketWork.Discard"/>), or the one whose original becomes
    /// live again (<see cref="DocketWork.FallBack"/>).
    /// </summary>
    public required IReadOnlyList<Guid> Originals { get; init; }

    /// <summary>Earlier dockets of this relocation, whose staging folders may be removed.</summary>
    public required IReadOnlyList<Guid> Supersedes { get; init; }

    public required Terms Terms { get; init; }

    public Adoption? Adoption { get; init; }

    /// <summary>A link to the target stays at the source, for programs that know only the old path.</summary>
    public bool LeavesLink { get; init; }

    /// <summary>The program whose holding it is; null where nothing is to be done about one.</summary>
    public OwnProgram? Program { get; init; }

    /// <summary>What the account is shown before it is locked out; null: nothing.</summary>
    public ToldText? Told { get; init; }

    /// <summary>
    /// Of the call that led to this docket (a trace id of W3C Trace Context, 32 hexadecimal digits): the same in the
    /// service's log and history and in the machine's log; null where nobody called.
    /// </summary>
    public string? Correlation { get; init; }

    /// <summary>On what grounds originals are discarded; null for all other work.</summary>
    public DiscardTerms? Discards { get; init; }
}

/// <summary>
/// What the service wishes of a docket that is under way: that it goes on, that it rests for one of four reasons, or
/// that it is undone.
/// </summary>
[JsonConverter(typeof(WordConverter<Wish>))]
public enum Wish
{
    GoOn,
    Pause,
    OutsideHours,
    AwaitPerson,
    BackOut,
    Hold,
}

/// <summary>What follows from wishes.</summary>
public static class WishesOfDockets
{
    /// <summary>The docket rests, as long as nobody is locked out for it.</summary>
    public static bool Rests(this Wish wish) =>
        wish is Wish.Pause or Wish.OutsideHours or Wish.AwaitPerson or Wish.Hold;
}

/// <summary>Leave to go on from <see cref="Step.Quiesce"/>: short-lived, renewed at every contact.</summary>
public sealed record Permit(Guid Docket, Guid Machine, DateTimeOffset NotAfter);
