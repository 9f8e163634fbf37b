using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Compares reality with the docket (I9) and makes the folder that the settings will lead to. A return leaves folders
/// alone.
/// </summary>
public sealed class PrepareSettingStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSourceOpen;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceOpen;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var docket = context.Docket;
        if (docket.Work == DocketWork.Return)
            return;
        Preparation.RequirePlainPath(docket.Target);
        using var root = context.Places.TargetVolume().OpenRoot();
        using (var present = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1)))
            foreach (var leaf in Leaves(docket))
                if (present?.Find(leaf) is { } there && there.Kind != NodeKind.Folder)
                    throw Faults.TargetNotEmpty(
                        context.Machine.Volumes.Show(docket.Target),
                        [$"a {there.Kind.Word()} of the name {leaf}"]
                    );
        SpaceLedger.ClaimPlace(context);
        context.Journal.Record(new Compared());
        using var parent = TargetFolders.Make(context, root);
        foreach (var leaf in Leaves(docket).Where(l => parent.Find(l) is null))
        {
            context.Journal.Record(new MadeTarget(leaf));
            TargetFolders.MakeOne(context, parent, leaf, !docket.Holding.IsShared);
        }
    }

    /// <summary>
    /// The folder that settings were to lead to goes again, if this docket made it and nobody has put anything there.
    /// </summary>
    public void Undo(StepContext context)
    {
        if (!context.Journal.Records.Has<Compared>())
            return;
        context.Report.Try(
            fault => $"The empty folder `{context.Places.TargetShown}` could not be removed now ({fault}).",
            () => RemoveMade(context)
        );
    }

    private static void RemoveMade(StepContext context)
    {
        var volume = context.Places.TargetVolume();
        using (var parent = Reach.TryParent(volume, context.Docket.Target))
            foreach (var leaf in Leaves(context.Docket).Where(l => context.Journal.Records.Has<MadeTarget>(l)))
            {
                if (parent?.Find(leaf) is not { Kind: NodeKind.Folder })
                    continue;
                using (var folder = parent.OpenFolder(leaf))
                    if (folder.List().Count > 0)
                        return;
                parent.RemoveFolder(leaf);
                parent.Flush();
            }
        TargetFolders.RemoveMade(context, volume);
    }

    /// <summary>The folders to which the settings will lead: the target, and those beside it that twins have.</summary>
    internal static IEnumerable<string> Leaves(Docket docket) =>
        docket
            .Pointers.Select(p => docket.Target.Parts[^1] + p.Address.Behind)
            .Prepend(docket.Target.Parts[^1])
            .Distinct(StringComparer.Ordinal);
}

/// <summary>
/// The same where the folder's data stays where it is: from now on people see a new, empty folder that is theirs alone.
/// </summary>
public sealed class PrepareEmptyFolderStep : IStep
{
    private readonly PrepareSettingStep _prepare = new();

    /// <inheritdoc/>
    public Step Name => _prepare.Name;

    /// <inheritdoc/>
    public StepState Entering => _prepare.Entering;

    /// <inheritdoc/>
    public StepState Leaving => _prepare.Leaving;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        Preparation.RequireSensiblePlaces(context);
        RequireNothing(context);
        _prepare.Perform(context);
    }

    /// <inheritdoc/>
    public void Undo(StepContext context) => _prepare.Undo(context);

    /// <summary>An empty folder that somebody else made may be theirs, or open to others.</summary>
    private static void RequireNothing(StepContext context)
    {
        var (place, leaf) = (context.Docket.Target, context.Docket.Target.Parts[^1]);
        if (context.Journal.Records.Has<MadeTarget>(leaf))
            return;
        using var parent = Reach.TryParent(context.Places.TargetVolume(), place);
        if (parent?.Find(leaf) is { } there)
            throw Faults.TargetNotEmpty(context.Machine.Volumes.Show(place), [$"a {there.Kind.Word()} of that name"]);
    }
}

/// <summary>
/// Waits until the program is closed that would write over the settings, then changes each by compare-and-swap.
/// </summary>
public sealed class RepointSettingStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Repoint;

    /// <inheritdoc/>
    public StepState Entering => StepState.BetweenOpen;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetOpen;

    /// <inheritdoc/>
    public bool NeedsPermit => true;

    /// <inheritdoc/>
    public bool EndsNeedOfPermit => true;

    /// <inheritdoc/>
    public Fault? InTheWay(StepContext context) => context.Holds.RunningProgram();

    /// <inheritdoc/>
    public void Undo(StepContext context) => context.Settings.PutBack();

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        try
        {
            context.Holds.RequireProgramClosed(Name);
        }
        catch (Fault running)
            when (running.Kind == FaultKinds.ProgramRunning
                && context.Docket.Terms.KeepWaiting
                && context.Live.Now() == Live.Source
            )
        {
            throw new Parked(running);
        }
        ConfirmSettingStep.RequireTarget(context);
        context.Settings.Change();
    }
}

/// <summary>Reads the settings back and asks the program itself.</summary>
public sealed class ConfirmSettingStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Confirm;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTargetOpen;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetOpen;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        context.Settings.RequireAtTarget();
        RequireTarget(context);
        ConfirmStep.AskSystem(context);
    }

    /// <summary>
    /// The folder that the settings lead to must be there; where a return leads is the system's own affair.
    /// </summary>
    internal static void RequireTarget(StepContext context)
    {
        if (context.Docket.Work == DocketWork.Return)
            return;
        using var parent = Reach.TryParent(context.Places.TargetVolume(), context.Docket.Target);
        if (PrepareSettingStep.Leaves(context.Docket).Any(l => parent?.Find(l) is not { Kind: NodeKind.Folder }))
            throw new Fault(
                FaultKinds.TargetMissing,
                $"The folder `{context.Places.TargetShown}` is gone.",
                "Find out who removed it."
            );
    }
}
