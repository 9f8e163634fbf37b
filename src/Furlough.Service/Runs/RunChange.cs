using Furlough.Model;
using Furlough.Protocol.Api;

namespace Furlough.Service.Runs;

/// <summary>What can be done to a run, and in which states: this is the only list of it.</summary>
/// <param name="Event">What the history calls it.</param>
/// <param name="Done">"cannot be paused".</param>
public sealed record RunChange(HistoryEvent Event, string Done, RunState Becomes, params IReadOnlyList<RunState> From)
{
    public static readonly RunChange Approve = new(
        HistoryEvent.RunApproved,
        "approved",
        RunState.Running,
        RunState.Proposed
    );

    /// <summary>
    /// Begins nothing further for now. Accounts that are locked out already can sign in again as soon as the work
    /// allows.
    /// </summary>
    public static readonly RunChange Pause = new(HistoryEvent.RunPaused, "paused", RunState.Paused, RunState.Running);

    /// <summary>Goes on.</summary>
    public static readonly RunChange Resume = new(
        HistoryEvent.RunResumed,
        "resumed",
        RunState.Running,
        RunState.Paused
    );

    /// <summary>Begins nothing further; what is not repointed yet is undone.</summary>
    public static readonly RunChange Halt = new(
        HistoryEvent.RunHalted,
        "halted",
        RunState.Halted,
        RunState.Running,
        RunState.Paused,
        RunState.Proposed
    );

    /// <summary>Nothing of it is left to do.</summary>
    public static readonly RunChange End = new(
        HistoryEvent.RunEnded,
        "ended",
        RunState.Ended,
        RunState.Running,
        RunState.Paused,
        RunState.Proposed,
        RunState.Halted
    );

    /// <summary>Refuses what cannot be done now.</summary>
    /// <param name="last">What was done to it last, in words; null where nobody knows.</param>
    /// <exception cref="RefusedException"><c>run-state-refused</c>: names the states that are needed.</exception>
    public void Require(RunRow run, string? last)
    {
        if (!From.Contains(run.State))
            throw RefusedException.Conflict(
                "run-state-refused",
                $"Run {run.Number} is {run.State.Word()} and cannot be {Done}{(last is null ? "" : $": {last}")}.",
                $"It must be {string.Join(" or ", From.Select(s => s.Word()))}."
            );
    }
}
