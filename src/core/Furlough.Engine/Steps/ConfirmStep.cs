using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Asks the system itself where the holding lives.</summary>
public sealed class ConfirmStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Confirm;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        work.RequirePointersAtTarget();
        FormerPlace.RequireLink(work);
        using var parent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        if (!RepointStep.IsArrived(work, parent))
            throw new Fault(
                "target-replaced",
                "Another folder stands at the target than the one that was proven.",
                "Find out who replaced it; the original is still kept."
            );
        AskSystem(work);
        if (work.Docket.Work == DocketWork.Return)
            ClearReceipts(work);
        if (work.Docket.Work == DocketWork.FallBack)
            ClearFolder(
                work.TryFolderOf(
                    work.Docket.Originals[0],
                    DocketSide.Original,
                    work.TargetVolume(),
                    work.Docket.Target
                ),
                work
            );
        if (work.Docket.Adoption is { } adoption)
            ClearFolder(work.TryFolderOf(adoption.Docket, DocketSide.Copy), work);
    }

    /// <summary>The holding's own program, or else the system, must say that it lives at the target.</summary>
    internal static void AskSystem(Work work)
    {
        var shown = work.Machine.Volumes.Show(work.Docket.Target);
        var (activity, says) = (work.Machine.Activity, work.Docket.Program?.Says ?? []);
        // Where a return takes a setting away, the program falls back on a place of its own.
        if (says.Count > 0 && work.Docket.Pointers.All(p => work.NextOf(p).Text is null))
            return;
        var answer =
            says.Count > 0 ? activity.Ask(work.Docket.Holding.Account, says) : activity.WhereIs(work.Docket.Holding);
        if (answer is null)
            work.Report(
                says.Count > 0
                    ? "Commands of kind cards do not run on this machine; its setting was read back."
                    : "The system has no command that says where this folder lives; its setting was read back."
            );
        else if (answer != shown)
            throw new Fault(
                "system-disagrees",
                $"The system says that {work.Docket.Holding} lives at `{answer}` and not at `{shown}`.",
                "Look at the account's settings, and for what else the system or the program reads; then {retry}."
            );
    }

    /// <summary>What an earlier docket left has served, unless it holds an original.</summary>
    private static void ClearFolder(DocketFolder? folder, Work work)
    {
        using (folder)
            if (folder is { HoldsOriginal: false })
                folder.Remove(work.Stop);
    }

    /// <summary>The receipts of the place that a return has left have served, and so has its own: the holding is where it was before.</summary>
    private static void ClearReceipts(Work work)
    {
        foreach (var earlier in work.Docket.Supersedes)
            ClearFolder(work.TryFolderOf(earlier, DocketSide.Copy, work.SourceVolume(), work.Docket.Source), work);
        ClearFolder(work.TryOwn(DocketSide.Copy), work);
    }
}
