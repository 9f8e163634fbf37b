using Furlough.Engine.Context;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Asks the system itself where the holding lives.</summary>
public sealed class ConfirmStep : IStep
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
        FormerPlace.RequireLink(context);
        using var parent = Reach.Parent(context.Places.TargetVolume(), context.Docket.Target);
        if (!RepointStep.IsArrived(context, parent))
            throw new Fault(
                FaultKinds.TargetReplaced,
                "Another folder stands at the target than the one that was proven.",
                "Find out who replaced it; the original is still kept."
            );
        AskSystem(context);
        if (context.Docket.Work == DocketWork.Return)
            ClearReceipts(context);
        if (context.Docket.Work == DocketWork.FallBack)
            ClearFolder(
                context.Places.TryFolderOf(
                    context.Docket.Originals[0],
                    DocketSide.Original,
                    context.Places.TargetVolume(),
                    context.Docket.Target
                ),
                context
            );
        if (context.Docket.Adoption is { } adoption)
            ClearFolder(context.Places.TryFolderOf(adoption.Docket, DocketSide.Copy), context);
    }

    /// <summary>The holding's own program, or else the system, must say that it lives at the target.</summary>
    internal static void AskSystem(StepContext context)
    {
        var shown = context.Places.TargetShown;
        var (activity, says) = (context.Machine.Activity, context.Docket.Program?.Says ?? []);
        // Where a return takes a setting away, the program falls back on a place of its own.
        if (says.Count > 0 && context.Docket.Pointers.All(p => context.Settings.NextOf(p).Text is null))
            return;
        var answer =
            says.Count > 0
                ? activity.Ask(context.Docket.Holding.Account, says)
                : activity.WhereIs(context.Docket.Holding);
        if (answer is null)
            context.Report.Add(
                says.Count > 0
                    ? "Commands of kind cards do not run on this machine; its setting was read back."
                    : "The system has no command that says where this folder lives; its setting was read back."
            );
        else if (answer != shown)
            throw new Fault(
                FaultKinds.SystemDisagrees,
                $"The system says that {context.Docket.Holding} lives at `{answer}` and not at `{shown}`.",
                "Look at the account's settings, and for what else the system or the program reads."
            );
    }

    /// <summary>What an earlier docket left has served, unless it holds an original.</summary>
    private static void ClearFolder(DocketFolder? folder, StepContext context)
    {
        using (folder)
            if (folder is { HoldsOriginal: false })
                folder.Remove(context.Stop);
    }

    /// <summary>
    /// The receipts of the place that a return has left have served, and so has its own: the holding is where it was
    /// before.
    /// </summary>
    private static void ClearReceipts(StepContext context)
    {
        foreach (var earlier in context.Docket.Supersedes)
            ClearFolder(
                context.Places.TryFolderOf(
                    earlier,
                    DocketSide.Copy,
                    context.Places.SourceVolume(),
                    context.Docket.Source
                ),
                context
            );
        ClearFolder(context.Places.TryOwn(DocketSide.Copy), context);
    }
}
