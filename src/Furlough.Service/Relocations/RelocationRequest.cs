using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;

namespace Furlough.Service.Relocations;

/// <summary>
/// What people and runs can ask of a relocation, and in which states: this is the only list of it. What machines can
/// report is <see cref="RelocationReport"/>.
/// </summary>
/// <param name="Event">What the history calls it.</param>
/// <param name="Done">"cannot be retried".</param>
/// <param name="Becomes">The state at once; null where only its machine can say.</param>
/// <param name="From">The states in which it can be asked for.</param>
public sealed record RelocationRequest(
    HistoryEvent Event,
    string Done,
    RelocationState? Becomes,
    params IReadOnlyList<RelocationState> From
)
{
    public static readonly RelocationRequest Turn = new(
        HistoryEvent.StateChanged,
        "begun by its run",
        RelocationState.Queued,
        RelocationState.Planned
    );

    /// <summary>Its run was halted before its turn.</summary>
    public static readonly RelocationRequest Halt = new(
        HistoryEvent.StateChanged,
        "halted with its run",
        RelocationState.Refused,
        RelocationState.Planned,
        RelocationState.Queued
    );

    /// <summary>Its machine was reinstalled and knows of nothing any more.</summary>
    public static readonly RelocationRequest Lose = new(
        HistoryEvent.StateChanged,
        "lost with its machine",
        RelocationState.Failed,
        [.. Enum.GetValues<RelocationState>().Where(s => !s.IsAtRest())]
    );

    public static readonly RelocationRequest Retry = new(
        HistoryEvent.Retry,
        "retried",
        RelocationState.Queued,
        RelocationState.Failed,
        RelocationState.BackedOut,
        RelocationState.Refused,
        RelocationState.Skipped
    );

    public static readonly RelocationRequest Skip = new(
        HistoryEvent.Skip,
        "skipped",
        RelocationState.Skipped,
        RelocationState.Planned,
        RelocationState.Queued,
        RelocationState.Failed,
        RelocationState.BackedOut,
        RelocationState.Refused
    );

    public static readonly RelocationRequest Begin = new(
        HistoryEvent.Begin,
        "begun",
        null,
        RelocationState.Queued,
        RelocationState.Waiting
    );

    /// <summary>Its machine cannot have the docket yet.</summary>
    public static readonly RelocationRequest CallBack = new(
        HistoryEvent.BackOut,
        "called back",
        RelocationState.BackedOut,
        RelocationState.Queued
    );

    public static readonly RelocationRequest BackOut = new(
        HistoryEvent.BackOut,
        "backed out",
        null,
        RelocationState.Queued,
        RelocationState.UnderWay,
        RelocationState.Waiting,
        RelocationState.Returning
    );

    public static readonly RelocationRequest Return = new(
        HistoryEvent.Return,
        "returned",
        RelocationState.Returning,
        RelocationState.Switched,
        RelocationState.Finished
    )
    {
        AlsoFailedAtTarget = true,
    };

    public static readonly RelocationRequest FallBack = new(
        HistoryEvent.FallBack,
        "fallen back",
        RelocationState.Returning,
        RelocationState.Switched
    )
    {
        AlsoFailedAtTarget = true,
        OnlyAtTarget = true,
    };

    public static readonly RelocationRequest Gather = new(
        HistoryEvent.Gather,
        "gathered for",
        RelocationState.Gathering,
        RelocationState.Switched,
        RelocationState.Finished,
        RelocationState.Returned
    );

    public static readonly RelocationRequest Discard = new(
        HistoryEvent.Discard,
        "rid of its original",
        RelocationState.Discarding,
        RelocationState.Switched,
        RelocationState.Returned
    );

    /// <summary>One that failed after its data had come to its target can be asked for it as well.</summary>
    private bool AlsoFailedAtTarget { get; init; }

    /// <summary>Its data must live at its target.</summary>
    private bool OnlyAtTarget { get; init; }

    /// <summary>Whether it can be asked of a relocation that is so.</summary>
    public bool IsPossible(RelocationState state, Live live) =>
        (From.Contains(state) || (AlsoFailedAtTarget && state == RelocationState.Failed && live == Live.Target))
        && (!OnlyAtTarget || live == Live.Target);

    /// <summary>Refuses what cannot be asked for now.</summary>
    /// <exception cref="RefusedException"><c>state-refused</c>: names the states that are needed.</exception>
    public void Require(RelocationRow row)
    {
        if (!IsPossible(row.State, row.Live))
            throw RefusedException.Conflict(
                "state-refused",
                $"Relocation {row.Number} is {row.State.Word()} and cannot be {Done}.",
                $"It must be {InWords()}."
            );
    }

    private string InWords()
    {
        var words = From.Select(s => s.Word()).ToList();
        var any = words.Count == 1 ? words[0] : $"{string.Join(", ", words[..^1])} or {words[^1]}";
        return OnlyAtTarget ? $"{any}, with its data at the target" : any;
    }
}
