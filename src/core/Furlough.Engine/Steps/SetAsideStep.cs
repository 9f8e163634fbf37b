using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Renames the source aside on its own volume, with a receipt and the manifest: it is now the original.
/// </summary>
public sealed class SetAsideStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.SetAside;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTargetClosed;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetClosed;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        context.Places.TargetVolume();
        context.Settings.RequireAtTarget();
        using var copy = context.Places.Own(DocketSide.Copy);
        var targetOwn = copy.Folder;
        var proven = context.Journal.Records.Find<Proven>() ?? new Proven(0, 0);
        var receipt = new Receipt(
            context.Docket,
            context.Settings.History(),
            context.Time.GetUtcNow(),
            proven.Files,
            proven.Bytes,
            ManifestDigest(targetOwn),
            context.Machine.Accounts.Names()
        );
        receipt.Write(targetOwn, context.Signer);
        if (!context.Journal.Records.Has<NothingAtSource>())
            SetAside(context, targetOwn, receipt);
    }

    /// <inheritdoc/>
    public void Undo(StepContext context)
    {
        using var at = context.Places.TryOwn(DocketSide.Original);
        if (at is not { HoldsOriginal: true, Folder: var own })
            return;
        using var parent = Reach.Parent(context.Places.SourceVolume(), context.Docket.Source);
        var leaf = context.Docket.Source.Parts[^1];
        if (parent.Find(leaf) is not null)
        {
            context.Report.Add(
                $"Something new stands at `{context.Places.SourceShown}`; the original waits in `{context.Machine.Volumes.Show(context.Docket.Source with { Path = at.Path })}`."
            );
            return;
        }
        own.Move(Layout.Original, parent, leaf);
        parent.Flush();
        own.Flush();
    }

    private static void SetAside(StepContext context, IFolder targetOwn, Receipt receipt)
    {
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

    internal static string ManifestDigest(IFolder own)
    {
        using var file = own.OpenFile(Layout.Manifest);
        return file.ReadBack(new ByteCounter(), CancellationToken.None)
            .Digest.ToString("x", System.Globalization.CultureInfo.InvariantCulture);
    }
}
