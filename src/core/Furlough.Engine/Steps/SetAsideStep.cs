using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Renames the source aside on its own volume, with a receipt and the manifest: it is now the original.</summary>
public sealed class SetAsideStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.SetAside;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        work.TargetVolume();
        work.RequirePointersAtTarget();
        using var copy = work.Own(DocketSide.Copy);
        var targetOwn = copy.Folder;
        var proven = (work.Noted(ProveStep.Proven) ?? "0 0").Split(' ').Select(long.Parse).ToArray();
        var receipt = new Receipt(
            work.Docket,
            work.History(),
            work.Time.GetUtcNow(),
            proven[0],
            proven[1],
            ManifestDigest(targetOwn),
            work.Machine.Accounts.Names()
        );
        receipt.Write(targetOwn, work.Signer);
        if (work.Noted(AdoptPrepareStep.NothingAtSource) is null)
            SetAside(work, targetOwn, receipt);
    }

    private static void SetAside(Work work, IFolder targetOwn, Receipt receipt)
    {
        using var sourceParent = Work.Parent(work.SourceVolume(), work.Docket.Source);
        // Its own name is durable before anything is moved into it: the original must not hang on a folder that a crash forgets.
        using var at = OwnFolders.Make(work, DocketSide.Original);
        var own = at.Folder;
        try
        {
            if (own.Find(Layout.Manifest) is null)
                DurableFile.Copy(targetOwn, work.ListOfSource, own, Layout.Manifest);
            receipt.Write(own, work.Signer);
        }
        catch (IoFault fault) when (fault.Reason == IoReason.NoSpace)
        {
            work.Report(
                "The source volume is full: receipt and manifest of the original stand only on the target volume."
            );
        }
        if (own.Find(Layout.Original) is null)
        {
            var leaf = work.Docket.Source.Parts[^1];
            sourceParent.Move(leaf, own, Layout.Original);
            // Whoever owns the folder above may have put another one there: that one goes back.
            if (own.Find(Layout.Original) is not { } moved || moved.FileId != SourceId(work, targetOwn))
            {
                own.Move(Layout.Original, sourceParent, leaf);
                throw Faults.SourceChanged("`.`: it was replaced");
            }
            own.Flush();
            sourceParent.Flush();
        }
    }

    /// <summary>The file number of the folder that was copied.</summary>
    private static ulong SourceId(Work work, IFolder targetOwn) =>
        Work.ReadManifest(targetOwn, work.ListOfSource).First().Facts.FileId;

    internal static string ManifestDigest(IFolder own)
    {
        using var file = own.OpenFile(Layout.Manifest);
        return file.ReadBack(new ByteCounter(), CancellationToken.None)
            .Digest.ToString("x", System.Globalization.CultureInfo.InvariantCulture);
    }
}
