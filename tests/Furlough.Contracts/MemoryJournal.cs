using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Contracts;

/// <summary>A journal that survives the engine, as a durable one would.</summary>
public sealed class MemoryJournal : IJournal
{
    private readonly Dictionary<Guid, JournalState> _states = [];

    /// <summary>Called before every write; throw to simulate a crash there.</summary>
    public Action<string> Before { get; set; } = _ => { };

    /// <summary>Whether an earlier docket had a holding at a place.</summary>
    public Func<HoldingName, Place, bool> Was { get; set; } = (_, _) => true;

    public bool HadValue(PointerAddress address, PointerValue value) => Had(address, value);

    /// <summary>What a setting is said to have read before.</summary>
    public Func<PointerAddress, PointerValue, bool> Had { get; set; } = (_, _) => true;

    public bool WasAt(HoldingName holding, Place place) => Was(holding, place);

    public JournalState Read(Guid docket)
    {
        lock (_states)
            return _states.GetValueOrDefault(docket)
                ?? new JournalState(null, new HashSet<Step>(), StepRecordSet.Empty, null, null);
    }

    public void Begin(Guid docket, Step step) => Write(docket, $"begin {step}", s => s with { Begun = step });

    public void Done(Guid docket, Step step) =>
        Write(docket, $"done {step}", s => s with { Done = new HashSet<Step>(s.Done) { step } });

    public void Record(Guid docket, StepRecord record) =>
        Write(docket, $"record {record.GetType().Name}", s => s with { Records = s.Records.With(Stored(record)) });

    public void Forget(Guid docket, StepRecord record) =>
        Write(docket, $"forget {record.GetType().Name}", s => s with { Records = s.Records.Without(record) });

    /// <summary>As a journal on a disk gives it back.</summary>
    private static StepRecord Stored(StepRecord record)
    {
        var stored = StepRecordFormat.Store(record);
        return StepRecordFormat.Read(stored.Kind, stored.Body);
    }

    public IReadOnlyList<OpenClaim> ClaimsBeside(Guid docket)
    {
        lock (_states)
            return
            [
                .. _states
                    .Where(s => s.Key != docket && s.Value.Ended is null)
                    .Select(s => (Claim: s.Value.Records.Find<TargetClaim>(), Filled: s.Value.Done.Contains(Step.Copy)))
                    .Where(s => s.Claim is not null)
                    .Select(s => new OpenClaim(s.Claim!, s.Filled)),
            ];
    }

    public void Undo(Guid docket, Failure cause) => Write(docket, "undo", s => s with { Undoing = cause });

    public void End(Guid docket, RelocationState state) => Write(docket, $"end {state}", s => s with { Ended = state });

    private void Write(Guid docket, string what, Func<JournalState, JournalState> change)
    {
        try
        {
            Before(what);
        }
        catch (IoFault failed)
        {
            throw new JournalException(failed.Message, failed.Reason == IoReason.NoSpace, failed);
        }
        lock (_states)
            _states[docket] = change(Read(docket));
    }
}

/// <summary>Permits for everything, unless told otherwise.</summary>
public sealed class OpenPermits : IPermits
{
    public PermitAnswer Answer { get; set; } = PermitAnswer.Granted;

    /// <summary>What the service wishes.</summary>
    public Wish Wish { get; set; }

    public PermitAnswer Await(Docket docket, TimeSpan? most, Action waiting, CancellationToken stop) => Answer;

    public Wish WishOf(Guid docket) => Wish;

    public bool Holds(Guid docket) => Answer == PermitAnswer.Granted;
}

/// <summary>Signs with a fixed text.</summary>
public sealed class PlainSigner : IReceiptSigner
{
    public string Sign(ReadOnlySpan<byte> bytes) => $"signed-{bytes.Length}";
}

/// <summary>Keeps everything it is given.</summary>
public sealed class Recorder : IWatcher
{
    private readonly List<RelocationChange> _changes = [];

    public IReadOnlyList<RelocationChange> Changes => _changes;

    public RelocationChange Last => _changes[^1];

    /// <summary>Called at every change.</summary>
    public Action<RelocationChange> OnChange { get; set; } = _ => { };

    public void Changed(RelocationChange change)
    {
        _changes.Add(change);
        OnChange(change);
    }

    public void Progressed(Progress progress) { }
}
