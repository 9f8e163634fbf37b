using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Compares the original once more with what was copied (I3), leaves a link at the former place where one is wanted, then lets the account in again. After this there is no way back but a return.</summary>
public sealed class ReopenStep : IStep
{
    /// <summary>Set once the comparison has passed: from then on the relocation only goes forward.</summary>
    internal const string Compared = "compared";

    /// <inheritdoc/>
    public Step Name => Step.Reopen;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        if (work.Noted(Compared) is null)
        {
            work.TargetVolume();
            work.RequirePointersAtTarget();
            if (work.KeepsOriginal)
                CompareOriginal(work);
            FormerPlace.LeaveLink(work);
            work.Note(Compared, "yes");
        }
        QuiesceStep.LetIn(work);
    }

    private static void CompareOriginal(Work work)
    {
        var volume = work.SourceVolume();
        using var copy = work.Own(DocketSide.Copy);
        using var own = work.Own(DocketSide.Original);
        using var original = own.Folder.OpenFolder(Layout.Original);
        if (
            TreeProof
                .Unchanged(original, Work.ReadManifest(copy.Folder, work.ListOfSource), volume.Workers, work.Stop)
                .Difference is
            { } change
        )
            throw Faults.SourceChanged(change);
    }
}
