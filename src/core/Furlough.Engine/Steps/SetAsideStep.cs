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
        using var targetParent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        using var targetOwn = targetParent.OpenFolder(work.FolderName);
        var proven = (work.Noted(ProveStep.Proven) ?? "0 0").Split(' ').Select(long.Parse).ToArray();
        var receipt = new Receipt(work.Docket, work.History(), work.Time.GetUtcNow(), proven[0], proven[1], ManifestDigest(targetOwn), work.Machine.Accounts.Names());
        receipt.Write(targetOwn, work.Signer);
        if (work.Noted(AdoptPrepareStep.NothingAtSource) is null) SetAside(work, targetOwn, receipt);
    }

    private static void SetAside(Work work, IFolder targetOwn, Receipt receipt)
    {
        using var sourceParent = Work.Parent(work.SourceVolume(), work.Docket.Source);
        using var own = work.TryOwn(sourceParent) ?? sourceParent.MakeFolder(work.FolderName, Layout.Closed);
        // Its own name is durable before anything is moved into it: the original must not hang on a folder that a crash forgets.
        sourceParent.Flush();
        try
        {
            if (own.Find(Layout.Manifest) is null) DurableFile.Copy(targetOwn, work.ListOfSource, own, Layout.Manifest);
            receipt.Write(own, work.Signer);
        }
        catch (IoFault fault) when (fault.Reason == IoReason.NoSpace)
        {
            work.Report("The source volume is full: receipt and manifest of the original stand only beside the target.");
        }
        if (own.Find(Layout.Original) is null)
        {
            sourceParent.Move(work.Docket.Source.Parts[^1], own, Layout.Original);
            own.Flush();
            sourceParent.Flush();
        }
    }

    internal static string ManifestDigest(IFolder own)
    {
        using var file = own.OpenFile(Layout.Manifest);
        return file.ReadBack(new ByteCounter(), CancellationToken.None).Digest.ToString("x", System.Globalization.CultureInfo.InvariantCulture);
    }
}
