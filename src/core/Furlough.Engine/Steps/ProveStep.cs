using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Reads the copy back from the medium and compares everything with what was copied; then compares the source with it once more (I3), unless people still work there.</summary>
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
        Prove(work, Name, own, targetVolume, null);
        if (work.Docket.Method != Method.Warm) RequireSourceUnchanged(work, own, sourceVolume);
    }

    /// <summary>Compares the staging folder with the manifest; reads back what is not in <paramref name="proven"/>.</summary>
    internal static void Prove(Work work, Step step, IFolder own, IVolume targetVolume, IReadOnlyDictionary<string, ManifestEntry>? proven)
    {
        using var staging = own.OpenFolder(Layout.Staging);
        var counter = new TreeCounter();
        ProofResult copy;
        using (work.Watch(step, counter)) copy = TreeProof.Copy(staging, Work.ReadManifest(own), targetVolume, counter, work.Stop, proven);
        if (copy.Difference is { } difference) throw Faults.NotProven(difference);
        if (!copy.FromMedium) work.Report("Proven from cache: this volume cannot be read past it.");
        work.TargetVolume();
        work.Note(Proven, FormattableString.Invariant($"{copy.Files} {copy.BytesRead}"));
    }

    /// <summary>Nobody uses the source, and it still is what was copied.</summary>
    internal static void RequireSourceUnchanged(Work work, IFolder own, IVolume sourceVolume)
    {
        QuiesceStep.RequireUnused(work);
        using var source = CopyStep.OpenHolding(work, sourceVolume);
        if (TreeProof.Unchanged(source, Work.ReadManifest(own), sourceVolume.Workers, work.Stop).Difference is { } change) throw Faults.SourceChanged(change);
    }
}
