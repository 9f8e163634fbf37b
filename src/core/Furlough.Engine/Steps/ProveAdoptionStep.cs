using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Lists the source as the manifest, then proves the target: without a receipt it must equal the source in everything;
/// with one, what is unchanged since the receipt must still have the content that it lists, and owners get the numbers
/// that their names have now.
/// </summary>
public sealed class ProveAdoptionStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prove;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSourceClosed;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceClosed;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var targetVolume = context.Places.TargetVolume();
        using var parent = Reach.Parent(targetVolume, context.Docket.Target);
        using var at = context.Places.Own(DocketSide.Copy);
        var own = at.Folder;
        using var target = parent.OpenFolder(context.Docket.Target.Parts[^1]);
        var nothingAtSource = context.Journal.Records.Has<NothingAtSource>();
        if (!nothingAtSource)
            using (var source = CopyStep.OpenHolding(context, context.Places.SourceVolume()))
                List(context, source, own, context.ListOfSource, null);
        if (context.Docket.Adoption is { } adoption)
            ProveByReceipt(context, targetVolume, parent, own, adoption);
        else
            ProveEqual(context, targetVolume, own, target);
        if (!nothingAtSource)
            ProveStep.RequireSourceUnchanged(context, Name, own, context.Places.SourceVolume());
    }

    private void ProveEqual(StepContext context, IVolume volume, IFolder own, IFolder target)
    {
        try
        {
            ProveStep.Prove(context, Name, own, target, volume, null);
        }
        catch (Fault differs) when (differs.Kind == FaultKinds.CopyDiffers)
        {
            const int most = 6;
            var differences = TreeProof.Differences(target, Manifest.ReadFrom(own), context.Stop).Take(most).ToList();
            throw differences.Count == 0 ? differs : Faults.TargetNotEqual(context.Places.TargetShown, differences);
        }
    }

    private void ProveByReceipt(StepContext context, IVolume volume, IFolder parent, IFolder own, Adoption adoption)
    {
        using var at = PrepareAdoptionStep.FolderOf(context, adoption);
        var receipt = PrepareAdoptionStep.Find(context, at, adoption);
        var former = at.Folder;
        if (former.Find(Layout.Manifest) is null || SetAsideStep.ManifestDigest(former) != receipt.ManifestDigest)
            throw new Fault(
                FaultKinds.ReceiptUnfit,
                "The list of files beside the receipt is missing or not the one that belongs to it.",
                "Compare the folder with a backup manually and make it live manually."
            );
        Renumbering.Run(context, volume, former, receipt.Names);
        var proof = new ReceiptProof(Manifest.ReadFrom(former));
        using (var target = parent.OpenFolder(context.Docket.Target.Parts[^1]))
            List(context, target, own, Layout.Manifest, proof);
        if (proof.Difference is { } difference)
            throw Faults.NotProven(difference);
        context.Report.Add(
            $"Known by the receipt of {receipt.WrittenAt:yyyy-MM-dd}: {Words.Count(proof.Same, "file")} unchanged since and read again, {proof.Changed:N0} written since, {proof.Missing:N0} not there any more."
        );
        context.Journal.Record(new Proven(proof.Same + proof.Changed, proof.DataBytes));
    }

    /// <summary>Lists a tree under a name in the docket's own folder.</summary>
    private void List(StepContext context, IFolder tree, IFolder own, string name, ReceiptProof? proof)
    {
        if (own.Find(name) is not null)
            own.RemoveFile(name);
        var counter = context.Counter();
        var entries = TreeListing.Of(tree, counter, context.Report.Add, context.Stop);
        using (context.Report.Watch(Name, counter))
        using (var list = own.MakeFile(name))
            Manifest.Append(list, proof?.Through(entries) ?? entries, end: true);
        own.Flush();
    }
}
