using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Ports;

/// <summary>What the journal holds for one docket.</summary>
/// <param name="Begun">The step whose intention was recorded last.</param>
/// <param name="Done">Steps whose effects are durable.</param>
/// <param name="Records">What steps recorded before acting.</param>
/// <param name="Undoing">Why the docket is being undone, or null.</param>
/// <param name="Ended">The final state, or null while it is under way.</param>
public sealed record JournalState(
    Step? Begun,
    IReadOnlySet<Step> Done,
    StepRecordSet Records,
    Failure? Undoing,
    RelocationState? Ended
);

/// <summary>
/// Work stops as if the process had died at this moment: nothing is undone or reported; what is recorded says how far
/// it came, and it is taken up again.
/// </summary>
public abstract class CutShortException(string message, Exception? cause = null) : Exception(message, cause);

/// <summary>The journal cannot be read or written.</summary>
/// <param name="isFull">There is no room for it.</param>
public sealed class JournalException(string message, bool isFull, Exception cause) : CutShortException(message, cause)
{
    /// <summary>There is no room for it.</summary>
    public bool IsFull { get; } = isFull;
}

/// <summary>What a docket that has not ended claims of its target.</summary>
/// <param name="Filled">Its copy is complete: the room is taken, and no longer free.</param>
public sealed record OpenClaim(TargetClaim Claim, bool Filled);

/// <summary>The engine's memory. Every call is durable when it returns (I4).</summary>
public interface IJournal
{
    /// <summary>What is recorded.</summary>
    JournalState Read(Guid docket);

    /// <summary>A step is about to have effects.</summary>
    void Begin(Guid docket, Step step);

    /// <summary>A step's effects are durable.</summary>
    void Done(Guid docket, Step step);

    /// <summary>Records a fact before it is acted on, instead of one of the same type and key.</summary>
    void Record(Guid docket, StepRecord record);

    /// <summary>The fact holds no longer.</summary>
    void Forget(Guid docket, StepRecord record);

    /// <summary>The docket is being undone.</summary>
    void Undo(Guid docket, Failure cause);

    /// <summary>
    /// Whether a docket that was carried out to its end had a holding at a place, before it or after it.
    /// </summary>
    bool WasAt(HoldingName holding, Place place) => true;

    /// <summary>
    /// Whether a docket that was carried out to its end found a setting at a raw value and changed it, or left it so.
    /// </summary>
    bool HadValue(PointerAddress address, PointerValue value) => true;

    /// <summary>What other dockets that have not ended claim of their targets.</summary>
    IReadOnlyList<OpenClaim> ClaimsBeside(Guid docket) => [];

    /// <summary>The docket has ended.</summary>
    void End(Guid docket, RelocationState state);
}

/// <summary>The answer to the wish for a permit.</summary>
public enum PermitAnswer
{
    Granted,
    Refused,
    Expired,
    NotNow,
}

/// <summary>Leave to go on from quiesce, and the service's wishes before that.</summary>
public interface IPermits
{
    /// <summary>
    /// Waits for a permit, at most until the docket expires. <paramref name="waiting"/> is called once when it does not
    /// come at once.
    /// </summary>
    /// <param name="most">The longest wait where someone is locked out meanwhile; <see cref="PermitAnswer.NotNow"/> is
    /// no answer then.</param>
    PermitAnswer Await(Docket docket, TimeSpan? most, Action waiting, CancellationToken stop);

    /// <summary>The last wish heard. Asked at every file, so it must be quick.</summary>
    Wish WishOf(Guid docket);

    /// <summary>Whether the permit held still holds.</summary>
    bool Holds(Guid docket);
}

/// <summary>Told of everything that happens to a docket.</summary>
public interface IWatcher
{
    /// <summary>A change of state, step or live place. Numbered and delivered exactly once by the agent.</summary>
    void Changed(RelocationChange change);

    /// <summary>How far the current step is; only the latest counts.</summary>
    void Progressed(Progress progress);

    /// <summary>
    /// A defect of the program was met. It is reported as a failure of the docket; the exception is for the log.
    /// </summary>
    void Met(Docket docket, Exception defect) { }
}

/// <summary>One change of a docket, before it becomes a bulletin.</summary>
public sealed record RelocationChange(
    Docket Docket,
    RelocationState State,
    Step? Step,
    Live Live,
    Failure? Failure,
    IReadOnlyList<PointerHistory> Pointers,
    OriginalFacts? Original,
    IReadOnlyList<string> Notes
)
{
    /// <summary>At the end of a docket that nothing cut short: how long its steps took.</summary>
    public IReadOnlyList<StepTime> Times { get; init; } = [];

    /// <summary>The docket that had set aside what was renamed back and is live again: an original no more.</summary>
    public Guid? LiveAgain { get; init; }
}
