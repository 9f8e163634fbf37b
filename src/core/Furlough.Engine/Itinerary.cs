using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine;

/// <summary>
/// The steps that a docket takes, in sequence:
/// <code>
/// relocate, return  cold      prepare, quiesce, copy, prove, repoint, set-aside, reopen, confirm
///                   warm      prepare, copy, prove, quiesce, catch-up, repoint, set-aside, reopen, confirm
///                   exchange  prepare, quiesce, repoint, reopen, confirm
///                   setting   prepare, repoint, confirm
/// relocate          adopt     prepare, quiesce, prove, repoint, set-aside, reopen, confirm
/// fall-back         any       prepare, quiesce, repoint, reopen, confirm
/// gather            any       prepare, copy, prove, gather
/// discard           any       discard
/// </code>
/// Where the holding's program has entries or shortcuts, mend follows confirm.
/// </summary>
public static class Itinerary
{
    private static readonly IStep Quiesce = new QuiesceStep(),
        Copy = new CopyStep(),
        CatchUp = new CatchUpStep(),
        Prove = new ProveStep(),
        Repoint = new RepointStep(),
        SetAside = new SetAsideStep(),
        Reopen = new ReopenStep(),
        Confirm = new ConfirmStep(),
        Mend = new MendStep();

    private static readonly IStep[] Discarding = [new DiscardStep()],
        Gathering = [new GatherPrepareStep(), Copy, Prove, new GatherStep()],
        FallingBack = [new FallBackPrepareStep(), Quiesce, Repoint, Reopen, Confirm],
        Cold = [new PrepareStep(), Quiesce, Copy, Prove, Repoint, SetAside, Reopen, Confirm],
        Warm = [new PrepareStep(), Copy, Prove, Quiesce, CatchUp, Repoint, SetAside, Reopen, Confirm],
        Adopting = [new AdoptPrepareStep(), Quiesce, new AdoptProveStep(), Repoint, SetAside, Reopen, Confirm],
        Setting = [new SettingPrepareStep(), new SettingRepointStep(), new SettingConfirmStep()],
        Exchange = [new PrepareStep(), Quiesce, Repoint, Reopen, Confirm];

    /// <summary>The steps of a docket.</summary>
    public static IReadOnlyList<IStep> Of(Docket docket) =>
        docket switch
        {
            { Work: DocketWork.Discard } => Discarding,
            { Work: DocketWork.Gather } => Gathering,
            { Method: Method.Setting } => Setting,
            { Program.Mends: true } => [.. Moving(docket), Mend],
            _ => Moving(docket),
        };

    private static IStep[] Moving(Docket docket) =>
        docket switch
        {
            { Work: DocketWork.FallBack } => FallingBack,
            { Method: Method.Adopt, Work: DocketWork.Relocate } => Adopting,
            { Method: Method.Exchange } => Exchange,
            { Method: Method.Warm } => Warm,
            _ => Cold,
        };
}
