using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Reads the copy back from the medium and compares everything with what was copied, then the source with it once more
/// (I3).
/// </summary>
/// <param name="during">The state in which it works.</param>
public sealed class ProveStep(StepState during) : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public StepState Entering => during;

    /// <inheritdoc/>
    public StepState Leaving => during;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        ProveCopy(context);
        using var at = context.Places.Own(DocketSide.Copy);
        RequireSourceUnchanged(context, Name, at.Folder, context.Places.SourceVolume());
    }

    /// <summary>Reads the whole copy back from the medium.</summary>
    internal static void ProveCopy(StepContext context)
    {
        using var at = context.Places.Own(DocketSide.Copy);
        using var staging = at.Folder.OpenFolder(Layout.Staging);
        Prove(context, Step.Prove, at.Folder, staging, context.Places.TargetVolume(), null);
    }

    /// <summary>
    /// Compares a copy with the manifest; reads back what does not stand unchanged in the list named <paramref
    /// name="proven"/>.
    /// </summary>
    /// <param name="otherwise">What is wrong where the two differ.</param>
    internal static void Prove(
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
    internal static void RequireSourceUnchanged(StepContext context, Step step, IFolder own, IVolume sourceVolume)
    {
        Occupancy.RequireNone(context, step, () => Occupancy.Of(context, context.Docket.Source));
        using var source = CopyStep.OpenHolding(context, sourceVolume);
        if (
            TreeProof
                .Unchanged(source, Manifest.ReadFrom(own, context.ListOfSource), sourceVolume.Workers, context.Stop)
                .Difference is
            { } change
        )
            throw Faults.SourceChanged(change);
    }
}

/// <summary>
/// Reads the copy back from the medium while people still work in the source: what they change is caught up with later.
/// </summary>
public sealed class ProveInUseStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSource;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSource;

    /// <inheritdoc/>
    public void Perform(StepContext context) => ProveStep.ProveCopy(context);
}
