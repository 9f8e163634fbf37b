using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Proofs;

/// <summary>
/// What was adopted at the target: without a receipt it must equal the source in everything; with one, what is unchanged
/// since the receipt must still have the content that it lists, and owners get the numbers that their names have now.
/// </summary>
public sealed class EqualTarget : IProof
{
    /// <inheritdoc/>
    public void Prove(StepContext context, Step step)
    {
        var targetVolume = context.Places.TargetVolume();
        using var parent = Reach.Parent(targetVolume, context.Docket.Target);
        using var at = context.Places.Own(DocketSide.Copy);
        var own = at.Folder;
        using var target = parent.OpenFolder(context.Docket.Target.Parts[^1]);
        if (!context.Journal.Records.Has<NothingAtSource>())
            using (var source = context.Places.OpenSource())
                List(context, step, source, own, context.ListOfSource, null);
        if (context.Docket.Adoption is { } adoption)
            ProveByReceipt(context, step, targetVolume, target, own, adoption);
        else
            ProveEqual(context, step, targetVolume, own, target);
    }

    /// <inheritdoc/>
    public void RequireStillTrue(StepContext context, Step step)
    {
        if (!context.Journal.Records.Has<NothingAtSource>())
            EqualCopy.RequireSourceUnchanged(context, step);
    }

    private static void ProveEqual(StepContext context, Step step, IVolume volume, IFolder own, IFolder target)
    {
        try
        {
            EqualCopy.Compare(context, step, own, target, volume, null);
        }
        catch (Fault differs) when (differs.Kind == FaultKinds.CopyDiffers)
        {
            const int most = 6;
            var differences = TreeProof.Differences(target, Manifest.ReadFrom(own), context.Stop).Take(most).ToList();
            throw differences.Count == 0 ? differs : Faults.TargetNotEqual(context.Places.TargetShown, differences);
        }
    }

    private static void ProveByReceipt(
        StepContext context,
        Step step,
        IVolume volume,
        IFolder target,
        IFolder own,
        Adoption adoption
    )
    {
        using var at = AdoptedReceipt.FolderOf(context, adoption);
        var former = at.Folder;
        var receipt = AdoptedReceipt.Find(context, at, adoption);
        RequireManifest(former, receipt);
        Renumbering.Run(context, volume, former, receipt.Names);
        var proof = new ReceiptProof(Manifest.ReadFrom(former));
        List(context, step, target, own, Layout.Manifest, proof);
        if (proof.Difference is { } difference)
            throw Faults.NotProven(difference);
        context.Report.Add(
            $"Known by the receipt of {receipt.WrittenAt:yyyy-MM-dd}: {Words.Count(proof.Same, "file")} unchanged "
                + $"since and read again, {proof.Changed:N0} written since, {proof.Missing:N0} not there any more."
        );
        context.Journal.Record(new Proven(proof.Same + proof.Changed, proof.DataBytes));
    }

    private static void RequireManifest(IFolder former, Receipt receipt)
    {
        if (former.Find(Layout.Manifest) is null || Receipt.DigestOfManifest(former) != receipt.ManifestDigest)
            throw new Fault(
                FaultKinds.ReceiptUnfit,
                "The list of files beside the receipt is missing or not the one that belongs to it.",
                "Compare the folder with a backup manually and make it live manually."
            );
    }

    /// <summary>Lists a tree under a name in the docket's own folder.</summary>
    private static void List(
        StepContext context,
        Step step,
        IFolder tree,
        IFolder own,
        string name,
        ReceiptProof? proof
    )
    {
        if (own.Find(name) is not null)
            own.RemoveFile(name);
        var counter = context.Counter();
        var entries = TreeListing.Of(tree, counter, context.Report.Add, context.Stop);
        using (context.Report.Watch(step, counter))
        using (var list = own.MakeFile(name))
            Manifest.Append(list, proof?.Through(entries) ?? entries, end: true);
        own.Flush();
    }
}
