using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Originals;

/// <summary>The source, renamed aside on its own volume, with a receipt and the manifest.</summary>
public sealed class SourceAside : IOriginals
{
    /// <inheritdoc/>
    public void SetAside(StepContext context, Receipt receipt)
    {
        using var copy = context.Places.Own(DocketSide.Copy);
        var targetOwn = copy.Folder;
        using var sourceParent = Reach.Parent(context.Places.SourceVolume(), context.Docket.Source);
        // Its own name is durable before anything is moved into it: the original must not hang on a folder that a crash
        // forgets.
        using var at = OwnFolders.Make(context, DocketSide.Original);
        var own = at.Folder;
        try
        {
            if (own.Find(Layout.Manifest) is null)
                DurableFile.Copy(targetOwn, context.ListOfSource, own, Layout.Manifest);
            receipt.Write(own, context.Signer);
        }
        catch (IoFault fault) when (fault.Reason == IoReason.NoSpace)
        {
            context.Report.Add(
                "The source volume is full: receipt and manifest of the original stand only on the target volume."
            );
        }
        if (own.Find(Layout.Original) is null)
        {
            var leaf = context.Docket.Source.Parts[^1];
            sourceParent.Move(leaf, own, Layout.Original);
            // Anyone who owns the folder above may have put another one there: that one goes back.
            if (own.Find(Layout.Original) is not { } moved || moved.FileId != SourceId(context, targetOwn))
            {
                own.Move(Layout.Original, sourceParent, leaf);
                throw Faults.SourceChanged("`.`: it was replaced");
            }
            own.Flush();
            sourceParent.Flush();
        }
    }

    /// <summary>The file number of the folder that was copied.</summary>
    private static ulong SourceId(StepContext context, IFolder targetOwn) =>
        Manifest.ReadFrom(targetOwn, context.ListOfSource).First().Facts.FileId;

    /// <inheritdoc/>
    public void PutBack(StepContext context)
    {
        using var at = context.Places.TryOwn(DocketSide.Original);
        if (at is not { HoldsOriginal: true, Folder: var own })
            return;
        using var parent = Reach.Parent(context.Places.SourceVolume(), context.Docket.Source);
        var leaf = context.Docket.Source.Parts[^1];
        if (parent.Find(leaf) is not null)
        {
            context.Report.Add(
                $"Something new stands at `{context.Places.SourceShown}`; the original waits in "
                    + $"`{context.Machine.Volumes.Show(context.Docket.Source with { Path = at.Path })}`."
            );
            return;
        }
        own.Move(Layout.Original, parent, leaf);
        parent.Flush();
        own.Flush();
    }

    /// <inheritdoc/>
    public bool IsAside(StepContext context)
    {
        using var at = context.Places.TryOwn(DocketSide.Original);
        return at is { HoldsOriginal: true };
    }

    /// <inheritdoc/>
    public void RequireUnchanged(StepContext context)
    {
        var volume = context.Places.SourceVolume();
        using var copy = context.Places.Own(DocketSide.Copy);
        using var own = context.Places.Own(DocketSide.Original);
        using var original = own.Folder.OpenFolder(Layout.Original);
        if (
            TreeProof
                .Unchanged(original, Manifest.ReadFrom(copy.Folder, context.ListOfSource), volume.Workers, context.Stop)
                .Difference is
            { } change
        )
            throw Faults.SourceChanged(change);
    }
}
