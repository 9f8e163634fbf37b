using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Proofs;

/// <summary>The copy, read back from the medium, is equal to the source in everything that was copied.</summary>
public sealed class EqualCopy : IProof
{
    /// <inheritdoc/>
    public void Prove(StepContext context, Step step) => Prove(context, step, proven: null);

    /// <inheritdoc/>
    public void RequireStillTrue(StepContext context, Step step) => RequireSourceUnchanged(context, step);

    /// <summary>The same; reads back what does not stand unchanged in the list named <paramref name="proven"/>.</summary>
    internal static void Prove(StepContext context, Step step, string? proven)
    {
        using var at = context.Places.Own(DocketSide.Copy);
        using var staging = at.Folder.OpenFolder(Layout.Staging);
        Compare(context, step, at.Folder, staging, context.Places.TargetVolume(), proven);
    }

    /// <summary>
    /// Compares a copy with the manifest; reads back what does not stand unchanged in the list named <paramref
    /// name="proven"/>.
    /// </summary>
    /// <param name="otherwise">What is wrong where the two differ.</param>
    internal static void Compare(
        StepContext context,
        Step step,
        IFolder own,
        IFolder tree,
        IVolume targetVolume,
        string? proven,
        Func<string, Fault>? otherwise = null
    )
    {
        var counter = context.Counter();
        ProofResult copy;
        using (context.Report.Watch(step, counter))
            copy = TreeProof.Copy(
                tree,
                proven is null ? Manifest.ReadFrom(own) : Marked(own, proven),
                targetVolume,
                counter,
                context.Stop
            );
        if (copy.Difference is { } difference)
            throw (otherwise ?? Faults.NotProven)(difference);
        if (!copy.FromMedium)
            context.Report.Add("Proven from cache: this volume cannot be read past it.");
        context.Places.TargetVolume();
        context.Journal.Record(new Proven(copy.Files, copy.BytesRead));
    }

    /// <summary>
    /// The manifest, with what was read back before and not been copied again since marked as proven.
    /// </summary>
    private static IEnumerable<ManifestEntry> Marked(IFolder own, string proven)
    {
        using var before = new ManifestCursor(Manifest.ReadFrom(own, proven));
        foreach (var entry in Manifest.ReadFrom(own))
            yield return before.Find(entry.Path, entry.Facts.Kind == NodeKind.Folder)?.Doubted(false) == entry
                ? entry with
                {
                    IsProven = true,
                }
                : entry;
    }

    /// <summary>Nobody uses the source, and it still is what was copied.</summary>
    internal static void RequireSourceUnchanged(StepContext context, Step step)
    {
        var sourceVolume = context.Places.SourceVolume();
        using var at = context.Places.Own(DocketSide.Copy);
        context.Holds.RequireNobody(step);
        using var source = context.Places.OpenSource();
        if (
            TreeProof
                .Unchanged(
                    source,
                    Manifest.ReadFrom(at.Folder, context.ListOfSource),
                    sourceVolume.Workers,
                    context.Stop
                )
                .Difference is
            { } change
        )
            throw Faults.SourceChanged(change);
    }
}
