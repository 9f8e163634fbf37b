using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Lists the source as the manifest, then proves the target: without a receipt it must equal the source in everything; with one, what is
/// unchanged since the receipt must still have the content that it lists, and owners get the numbers that their names have now.
/// </summary>
public sealed class AdoptProveStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var targetVolume = work.TargetVolume();
        using var parent = Work.Parent(targetVolume, work.Docket.Target);
        using var at = work.Own(DocketSide.Copy);
        var own = at.Folder;
        using var target = parent.OpenFolder(work.Docket.Target.Parts[^1]);
        var nothingAtSource = work.Noted(AdoptPrepareStep.NothingAtSource) is not null;
        if (!nothingAtSource)
            using (var source = CopyStep.OpenHolding(work, work.SourceVolume()))
                List(work, source, own, work.ListOfSource, null);
        if (work.Docket.Adoption is { } adoption)
            ProveByReceipt(work, targetVolume, parent, own, adoption);
        else
            ProveEqual(work, targetVolume, own, target);
        if (!nothingAtSource)
            ProveStep.RequireSourceUnchanged(work, Name, own, work.SourceVolume());
    }

    private void ProveEqual(Work work, IVolume volume, IFolder own, IFolder target)
    {
        try
        {
            ProveStep.Prove(work, Name, own, target, volume, null);
        }
        catch (Fault differs) when (differs.Code == Faults.NotProvenCode)
        {
            const int most = 6;
            var differences = TreeProof.Differences(target, Work.ReadManifest(own), work.Stop).Take(most).ToList();
            throw differences.Count == 0
                ? differs
                : Faults.TargetNotEqual(work.Machine.Volumes.Show(work.Docket.Target), differences);
        }
    }

    private void ProveByReceipt(Work work, IVolume volume, IFolder parent, IFolder own, Adoption adoption)
    {
        using var at = AdoptPrepareStep.FolderOf(work, adoption);
        var receipt = AdoptPrepareStep.Find(work, at, adoption);
        var former = at.Folder;
        if (former.Find(Layout.Manifest) is null || SetAsideStep.ManifestDigest(former) != receipt.ManifestDigest)
            throw new Fault(
                "receipt-unfit",
                "The list of files beside the receipt is missing or not the one that belongs to it.",
                "Compare the folder with a backup by hand and make it live by hand."
            );
        Renumbering.Run(work, volume, former, receipt.Names);
        var proof = new ReceiptProof(Work.ReadManifest(former));
        using (var target = parent.OpenFolder(work.Docket.Target.Parts[^1]))
            List(work, target, own, Layout.Manifest, proof);
        if (proof.Difference is { } difference)
            throw Faults.NotProven(difference);
        work.Report(
            $"Known by the receipt of {receipt.WrittenAt:yyyy-MM-dd}: {Words.Count(proof.Same, "file")} unchanged since and read again, {proof.Changed:N0} written since, {proof.Missing:N0} not there any more."
        );
        work.Note(ProveStep.Proven, FormattableString.Invariant($"{proof.Same + proof.Changed} {proof.DataBytes}"));
    }

    /// <summary>Lists a tree under a name in the docket's own folder.</summary>
    private void List(Work work, IFolder tree, IFolder own, string name, ReceiptProof? proof)
    {
        if (own.Find(name) is not null)
            own.RemoveFile(name);
        var counter = work.Counter();
        var entries = TreeListing.Of(tree, counter, work.Report, work.Stop);
        using (work.Watch(Name, counter))
        using (var list = own.MakeFile(name))
            Manifest.Append(list, proof?.Through(entries) ?? entries, end: true);
        own.Flush();
    }
}
