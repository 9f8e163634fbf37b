using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>The journal as far as it concerns one docket.</summary>
public sealed class DocketJournal(IJournal journal, Guid docket)
{
    /// <summary>Everything that is recorded.</summary>
    public JournalState State => journal.Read(docket);

    /// <summary>What the docket's steps recorded.</summary>
    public StepRecordSet Records => State.Records;

    /// <summary>Whether a step's effects are durable.</summary>
    public bool IsDone(Step step) => State.Done.Contains(step);

    /// <summary>Records a fact before it is acted on.</summary>
    public void Record(StepRecord record) => journal.Record(docket, record);

    /// <summary>A fact holds no longer.</summary>
    public void Forget(StepRecord record) => journal.Forget(docket, record);

    /// <summary>What other dockets that have not ended claim of their targets.</summary>
    public IReadOnlyList<OpenClaim> ClaimsBeside() => journal.ClaimsBeside(docket);

    /// <summary>What is recorded of another docket.</summary>
    public JournalState Of(Guid other) => journal.Read(other);
}
