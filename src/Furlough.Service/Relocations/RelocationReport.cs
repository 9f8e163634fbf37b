using Furlough.Model;
using Furlough.Service.Storage;

namespace Furlough.Service.Relocations;

/// <summary>
/// What a machine's report means for a relocation: this is the only place that decides it. A docket has one story: it
/// may wait, go on and be undone as often as it must, it ends once, and nothing is reported of it after that.
/// </summary>
/// <param name="Next">What the relocation is now.</param>
/// <param name="KeepsFailure">
/// It was called back, and this is part of how it is undone: what was said when that was decided stays.
/// </param>
internal sealed record RelocationReport(RelocationState Next, bool KeepsFailure)
{
    private static readonly RelocationState[] OfAnyWork =
    [
        RelocationState.Waiting,
        RelocationState.BackingOut,
        RelocationState.BackedOut,
        RelocationState.Failed,
        RelocationState.Refused,
    ];

    private static readonly Dictionary<DocketWork, RelocationState[]> OfWork = new()
    {
        // Returned: someone at the machine has made the original live again.
        [DocketWork.Relocate] =
        [
            RelocationState.UnderWay,
            RelocationState.Switched,
            RelocationState.Finished,
            RelocationState.Returned,
        ],
        [DocketWork.Return] = [RelocationState.Returning, RelocationState.Returned],
        [DocketWork.FallBack] = [RelocationState.Returning, RelocationState.Returned],
        [DocketWork.Discard] = [RelocationState.Discarding, RelocationState.Finished],
        [DocketWork.Gather] = [RelocationState.Gathering, RelocationState.Switched],
    };

    /// <summary>Takes a report; null where that cannot have happened.</summary>
    /// <param name="row">The relocation as it is known.</param>
    /// <param name="docket">The docket that is reported on.</param>
    /// <param name="said">The state that its machine reports.</param>
    /// <param name="live">Where its data lives by that report.</param>
    internal static RelocationReport? Of(RelocationRow row, DocketRow docket, RelocationState said, Live live)
    {
        if (!OfAnyWork.Contains(said) && !OfWork[docket.Work].Contains(said))
            return null;
        if (IsFallBackAtDesk(docket, said) ? !HadSwitched(row, docket) : docket.EndedAs is { } end && end != said)
            return null;
        var next = Meaning(docket.Work, said, row.StateBefore);
        if (docket.Withdrawn && DecisionOn(row) is { } decided && live != Live.Target)
        {
            if (IsUndone(next))
                return new RelocationReport(decided, true);
            if (!next.IsAtRest())
                return new RelocationReport(next, true);
        }
        return new RelocationReport(next, false);
    }

    /// <summary>The docket has nothing more to do by this report.</summary>
    internal static bool IsEnd(RelocationState said) => said.IsAtRest();

    private static bool HadSwitched(RelocationRow row, DocketRow docket) =>
        (docket.EndedAs ?? row.State)
            is RelocationState.Switched
                or RelocationState.Finished
                or RelocationState.Failed
                or RelocationState.Returned;

    /// <summary>Told of the docket that had switched.</summary>
    internal static bool IsFallBackAtDesk(DocketRow docket, RelocationState said) =>
        docket.Work == DocketWork.Relocate && said == RelocationState.Returned;

    private static bool IsUndone(RelocationState state) =>
        state is RelocationState.BackedOut or RelocationState.Refused or RelocationState.Failed;

    /// <summary>What was decided when its docket was called back; null where nothing was.</summary>
    private static RelocationState? DecisionOn(RelocationRow row) =>
        (row.State.IsAtRest() ? row.State : row.StateBefore)
            is var decided
                and (RelocationState.Skipped or RelocationState.Refused or RelocationState.BackedOut)
            ? decided
            : null;

    /// <summary>
    /// What an agent says about a discard, a return or gathering means for the relocation as a whole.
    /// </summary>
    private static RelocationState Meaning(DocketWork work, RelocationState said, RelocationState before)
    {
        var isUndone = IsUndone(said);
        return work switch
        {
            DocketWork.Discard when said == RelocationState.Finished && before == RelocationState.Returned => before,
            DocketWork.Discard or DocketWork.Return or DocketWork.FallBack when isUndone => before,
            DocketWork.Gather when isUndone || said == RelocationState.Switched => before,
            _ => said,
        };
    }
}
