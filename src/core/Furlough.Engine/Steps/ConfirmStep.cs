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
        using var parent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        if (!RepointStep.IsArrived(work, parent))
            throw new Fault("target-replaced", "Another folder stands at the target than the one that was proven.", "Find out who replaced it; the original is still kept.");
        var shown = work.Machine.Volumes.Show(work.Docket.Target);
        var answer = work.Machine.Activity.WhereIs(work.Docket.Holding);
        if (answer is null) work.Report("The system has no command that says where this folder lives; its setting was read back.");
        else if (answer != shown)
            throw new Fault("system-disagrees", $"The system says that {work.Docket.Holding} lives at `{answer}` and not at `{shown}`.", "Look at the account's settings; the original is still kept.");
        if (work.Docket.Work == DocketWork.Return) ClearReceipts(work);
        if (work.Docket.Work == DocketWork.FallBack) ClearFolder(work, parent, work.Docket.Originals[0]);
        if (work.Docket.Adoption is { } adoption) ClearFolder(work, parent, adoption.Docket);
    }

    /// <summary>What an earlier docket left beside a place has served, unless it holds an original.</summary>
    private static void ClearFolder(Work work, Ports.IFolder parent, Guid docket)
    {
        var name = Layout.FolderOf(docket);
        if (parent.Find(name) is null) return;
        using (var folder = parent.OpenFolder(name))
            if (folder.Find(Layout.Original) is not null) return;
        Trees.TreeRemoval.Run(parent, name, work.Stop);
        parent.Flush();
    }

    /// <summary>The receipts beside the place that a return has left have served.</summary>
    private static void ClearReceipts(Work work)
    {
        using var parent = Work.TryParent(work.SourceVolume(), work.Docket.Source);
        if (parent is null) return;
        foreach (var earlier in work.Docket.Supersedes) ClearFolder(work, parent, earlier);
    }
}
