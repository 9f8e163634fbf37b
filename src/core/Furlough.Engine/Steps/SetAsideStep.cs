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
        using var sourceParent = Work.Parent(work.SourceVolume(), work.Docket.Source);
        using var targetParent = Work.Parent(work.TargetVolume(), work.Docket.Target);
        using var targetOwn = targetParent.OpenFolder(work.FolderName);
        using var own = work.TryOwn(sourceParent) ?? sourceParent.MakeFolder(work.FolderName, Layout.Closed);
        // Its own name is durable before anything is moved into it: the original must not hang on a folder that a crash forgets.
        sourceParent.Flush();

        var proven = (work.Noted(ProveStep.Proven) ?? "0 0").Split(' ').Select(long.Parse).ToArray();
        var receipt = new Receipt(work.Docket, work.History(), work.Time.GetUtcNow(), proven[0], proven[1], ManifestDigest(targetOwn));
        receipt.Write(targetOwn, work.Signer);
        try
        {
            if (own.Find(Layout.Manifest) is null) CopyManifest(targetOwn, own);
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

    private static string ManifestDigest(IFolder own)
    {
        using var file = own.OpenFile(Layout.Manifest);
        return file.ReadBack(new ByteCounter(), CancellationToken.None).Digest.ToString("x", System.Globalization.CultureInfo.InvariantCulture);
    }

    private static void CopyManifest(IFolder from, IFolder to)
    {
        const string fresh = Layout.Manifest + "-new";
        if (to.Find(fresh) is not null) to.RemoveFile(fresh);
        using (var source = from.OpenFile(Layout.Manifest))
        using (var copy = to.MakeFile(fresh))
        {
            source.CopyTo(copy, new ByteCounter(), CancellationToken.None);
            copy.Flush();
        }
        to.Move(fresh, to, Layout.Manifest);
        to.Flush();
    }
}
