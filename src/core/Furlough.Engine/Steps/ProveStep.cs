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
        using var at = work.Own(DocketSide.Copy);
        var own = at.Folder;
        if (OriginalBack.Of(work) is not null)
            OriginalBack.Prove(work, Name, own);
        else
        {
            using var staging = own.OpenFolder(Layout.Staging);
            Prove(work, Name, own, staging, targetVolume, null);
        }
        if (work.Docket.Method != Method.Warm)
            RequireSourceUnchanged(work, Name, own, sourceVolume);
    }

    /// <summary>Compares a copy with the manifest; reads back what does not stand unchanged in the list named <paramref name="proven"/>.</summary>
    /// <param name="otherwise">What is wrong where the two differ.</param>
    internal static void Prove(
        Work work,
        Step step,
        IFolder own,
        IFolder tree,
        IVolume targetVolume,
        string? proven,
        Func<string, Fault>? otherwise = null
    )
    {
        var counter = work.Counter();
        ProofResult copy;
        using (work.Watch(step, counter))
            copy = TreeProof.Copy(
                tree,
                proven is null ? Work.ReadManifest(own) : Marked(own, proven),
                targetVolume,
                counter,
                work.Stop
            );
        if (copy.Difference is { } difference)
            throw (otherwise ?? Faults.NotProven)(difference);
        if (!copy.FromMedium)
            work.Report("Proven from cache: this volume cannot be read past it.");
        work.TargetVolume();
        work.Note(Proven, FormattableString.Invariant($"{copy.Files} {copy.BytesRead}"));
    }

    /// <summary>The manifest, with what was read back before and not been copied again since marked as proven.</summary>
    private static IEnumerable<ManifestEntry> Marked(IFolder own, string proven)
    {
        using var before = new ManifestCursor(Work.ReadManifest(own, proven));
        foreach (var entry in Work.ReadManifest(own))
            yield return before.Find(entry.Path, entry.Facts.Kind == NodeKind.Folder)?.Doubted(false) == entry
                ? entry with
                {
                    IsProven = true,
                }
                : entry;
    }

    /// <summary>Nobody uses the source, and it still is what was copied.</summary>
    internal static void RequireSourceUnchanged(Work work, Step step, IFolder own, IVolume sourceVolume)
    {
        QuiesceStep.RequireUnused(work, step);
        using var source = CopyStep.OpenHolding(work, sourceVolume);
        if (
            TreeProof
                .Unchanged(source, Work.ReadManifest(own, work.ListOfSource), sourceVolume.Workers, work.Stop)
                .Difference is
            { } change
        )
            throw Faults.SourceChanged(change);
    }
}
