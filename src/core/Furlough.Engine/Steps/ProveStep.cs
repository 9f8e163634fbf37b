using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Reads the copy back from the medium and compares everything with what was copied; then compares the source with it once more (I3).</summary>
public sealed class ProveStep : IStep
{
    /// <summary>Bytes and files that were proven, for the receipt.</summary>
    internal const string Proven = "proven";

    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        using var parent = Work.Parent(targetVolume, work.Docket.Target);
        using var own = parent.OpenFolder(work.FolderName);
        using var staging = own.OpenFolder(Layout.Staging);
        var counter = new TreeCounter();
        ProofResult copy;
        using (work.Watch(Name, counter)) copy = TreeProof.Copy(staging, Work.ReadManifest(own), targetVolume, counter, work.Stop);
        if (copy.Difference is { } difference) throw Faults.NotProven(difference);
        if (!copy.FromMedium) work.Report("Proven from cache: this volume cannot be read past it.");

        QuiesceStep.RequireUnused(work);
        using var source = CopyStep.OpenHolding(work, sourceVolume);
        if (TreeProof.Unchanged(source, Work.ReadManifest(own), sourceVolume.Workers, work.Stop).Difference is { } change) throw Faults.SourceChanged(change);
        work.TargetVolume();
        work.Note(Proven, FormattableString.Invariant($"{copy.Files} {copy.BytesRead}"));
    }
}
