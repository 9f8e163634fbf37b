using Furlough.Engine.Context;
using Furlough.Engine.Originals;
using Furlough.Engine.Proofs;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Model;

namespace Furlough.Engine.Methods;

/// <summary>How a docket is carried out: its steps in order, and the state in which it ends.</summary>
/// <param name="Steps">In the sequence in which they are taken; backing out walks the begun ones backwards.</param>
/// <param name="Ends">The state after the last step.</param>
public sealed record Procedure(IReadOnlyList<IStep> Steps, RelocationState Ends)
{
    /// <summary>Where the source is kept after the switch; null where nothing of it is kept.</summary>
    internal IOriginals? Originals { get; init; }

    /// <summary>The folder that moves, in which nobody may hold files open.</summary>
    internal Func<StepContext, Place> Moving { get; init; } = context => context.Docket.Source;

    /// <summary>The steps that have begun, the first one first.</summary>
    /// <param name="last">The one whose intention was recorded last; null when none has begun.</param>
    internal IReadOnlyList<IStep> Begun(Step? last) =>
        last is { } step ? [.. Steps.TakeWhile(s => s.Name != step), Steps.First(s => s.Name == step)] : [];

    internal Procedure Then(IStep step) => this with { Steps = [.. Steps, step] };
}

/// <summary>The procedure of every docket. What differs between two methods is a different step.</summary>
public static class Procedures
{
    private static readonly IProof EqualCopy = new EqualCopy(),
        EqualOriginal = new EqualOriginal(),
        EqualTarget = new EqualTarget();

    private static readonly IOriginals Aside = new SourceAside();

    private static readonly IStep Quiesce = new QuiesceStep(),
        Copy = new CopyStep(StepState.AtSource),
        CopyInUse = new CopyInUseStep(),
        CatchUp = new CatchUpStep(),
        Prove = new ProveStep(EqualCopy, StepState.AtSource),
        ProveInUse = new ProveInUseStep(EqualCopy),
        SetAside = new SetAsideStep(),
        Reopen = new ReopenStep(),
        Confirm = new ConfirmStep();

    private static readonly IStep[] AfterArrival = [SetAside, Reopen, Confirm];

    private static readonly Procedure Cold = new(
        [new PrepareCopyStep(), Quiesce, Copy, Prove, new RepointCopyStep(), .. AfterArrival],
        RelocationState.Switched
    )
    {
        Originals = Aside,
    };

    private static readonly Procedure Warm = new(
        [new PrepareCopyStep(), CopyInUse, ProveInUse, Quiesce, CatchUp, new RepointCopyStep(), .. AfterArrival],
        RelocationState.Switched
    )
    {
        Originals = Aside,
    };

    /// <summary>A return that renames its original back, while nobody works.</summary>
    private static readonly Procedure ColdBack = new(
        [
            new PrepareCopyStep(),
            Quiesce,
            new CompareOriginalStep(Copy),
            new ProveStep(EqualOriginal, StepState.AtSource),
            new RepointRenamedStep(),
            .. AfterArrival,
        ],
        RelocationState.Returned
    )
    {
        Originals = Aside,
    };

    /// <summary>A return that renames its original back, compared while people work.</summary>
    private static readonly Procedure WarmBack = new(
        [
            new PrepareCopyStep(),
            new CompareOriginalInUseStep(CopyInUse),
            new ProveInUseStep(EqualOriginal),
            Quiesce,
            new CompareAgainStep(),
            new RepointRenamedStep(),
            .. AfterArrival,
        ],
        RelocationState.Returned
    )
    {
        Originals = Aside,
    };

    private static readonly Procedure Adopt = new(
        [
            new PrepareAdoptionStep(),
            Quiesce,
            new ProveStep(EqualTarget, StepState.AtSourceHeld),
            new RepointAdoptedStep(),
            .. AfterArrival,
        ],
        RelocationState.Switched
    )
    {
        Originals = Aside,
    };

    private static readonly Procedure Exchange = new(
        [new PrepareExchangeStep(), Quiesce, new RepointSourceStep(), Reopen, Confirm],
        RelocationState.Finished
    );

    private static readonly Procedure FallBack = new(
        [new PrepareFallBackStep(), Quiesce, new RepointOriginalStep(), Reopen, Confirm],
        RelocationState.Returned
    )
    {
        Moving = OriginalBack.PlaceOf,
    };

    private static readonly Procedure Setting = new(
        [new PrepareSettingStep(), new RepointSettingStep(), new ConfirmSettingStep()],
        RelocationState.Finished
    );

    private static readonly Procedure RepointOnly = Setting with
    {
        Steps = [new PrepareEmptyFolderStep(), .. Setting.Steps.Skip(1)],
    };

    private static readonly Procedure Gather = new(
        [
            new PrepareGatherStep(),
            new CopyStep(StepState.AtTarget),
            new ProveStep(EqualCopy, StepState.AtTarget),
            new GatherStep(),
        ],
        RelocationState.Switched
    );

    private static readonly Procedure Discard = new([new DiscardStep()], RelocationState.Finished);

    private static readonly IStep Mend = new MendStep();

    /// <summary>The procedure of a docket.</summary>
    /// <param name="records">What its steps have recorded: prepare decides whether a return renames its original
    /// back.</param>
    public static Procedure Of(Docket docket, StepRecordSet records)
    {
        var procedure = docket.Work switch
        {
            DocketWork.Discard => Discard,
            DocketWork.Gather => Gather,
            DocketWork.FallBack => FallBack,
            DocketWork.Return => OfReturn(docket.Method, records.Find<RenamesBack>() is { Docket: not null }),
            _ => OfRelocation(docket.Method),
        };
        var mends = docket.Work.MovesHolding() && docket.Method.MovesData() && docket.Program?.Mends == true;
        return mends ? procedure.Then(Mend) : procedure;
    }

    private static Procedure OfRelocation(Method method) =>
        method switch
        {
            Method.Warm => Warm,
            Method.Exchange => Exchange,
            Method.Adopt => Adopt,
            Method.Setting => Setting,
            Method.RepointOnly => RepointOnly,
            _ => Cold,
        };

    private static Procedure OfReturn(Method method, bool renamesBack) =>
        (method, renamesBack) switch
        {
            (Method.Setting or Method.RepointOnly, _) => Setting with { Ends = RelocationState.Returned },
            (Method.Exchange, _) => Exchange with { Ends = RelocationState.Returned },
            (Method.Warm, true) => WarmBack,
            (Method.Warm, false) => Warm with { Ends = RelocationState.Returned },
            (_, true) => ColdBack,
            (_, false) => Cold with { Ends = RelocationState.Returned },
        };
}
