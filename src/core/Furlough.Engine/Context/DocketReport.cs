using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>
/// What is reported about one docket: its states, its progress, and what is worth knowing at its end.
/// </summary>
public sealed class DocketReport(
    Docket docket,
    LivePlace live,
    DocketSettings settings,
    List<string> notes,
    IWatcher watcher,
    TimeProvider time
)
{
    private readonly List<StepTime> _times = [];

    /// <summary>Adds to what is reported with the outcome.</summary>
    public void Add(string note) => notes.Add(note);

    /// <summary>A defect of the program was met.</summary>
    public void Met(Exception defect) => watcher.Met(docket, defect);

    /// <summary>How long a step took.</summary>
    public void Took(Step step, TimeSpan length) => _times.Add(new StepTime(step, length));

    /// <summary>Reports progress while something runs, twice a second at most.</summary>
    public IDisposable Watch(Step step, TreeCounter counter) => new ProgressMeter(docket, step, counter, watcher, time);

    /// <summary>Does something that must not stop the work: where it cannot be done, that is reported.</summary>
    /// <param name="report">What is reported, of the fault without its full stop.</param>
    internal void Try(Func<string, string> report, Action action)
    {
        try
        {
            action();
        }
        catch (Fault fault)
        {
            Add(report(fault.Message.TrimEnd('.')));
        }
    }

    /// <summary>Reports that the work waits, and for what.</summary>
    public void Waits(Step step, Fault why) =>
        Changed(
            RelocationState.Waiting,
            step,
            FailureText.Of(docket, why, $"Nothing has changed; {live.InWords()}.", waits: true)
        );

    /// <summary>Reports a state.</summary>
    public void Changed(
        RelocationState state,
        Step? step,
        Failure? failure = null,
        OriginalFacts? original = null,
        Guid? liveAgain = null
    ) =>
        watcher.Changed(
            new RelocationChange(
                docket,
                state,
                step,
                live.OfRelocation(),
                failure,
                docket.Work.MovesHolding() ? HistoryIfKnown() : [],
                original,
                [.. notes]
            )
            {
                Times = state.IsAtRest() ? [.. _times] : [],
                LiveAgain = liveAgain,
            }
        );

    private IReadOnlyList<PointerHistory> HistoryIfKnown()
    {
        try
        {
            return settings.History();
        }
        catch (Fault)
        {
            return [];
        }
    }
}

/// <summary>What follows from the kind of a docket.</summary>
internal static class DocketWorkStates
{
    /// <summary>The state of a docket of this kind while it is carried out.</summary>
    internal static RelocationState UnderWay(this DocketWork work) =>
        work switch
        {
            DocketWork.Discard => RelocationState.Discarding,
            DocketWork.Gather => RelocationState.Gathering,
            DocketWork.Return or DocketWork.FallBack => RelocationState.Returning,
            _ => RelocationState.UnderWay,
        };
}
