using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The data is at the target already: compares reality with the docket, finds the receipt that it was promised, and
/// makes the docket's own folder beside the target.
/// </summary>
public sealed class PrepareAdoptionStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSourceOpen;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceOpen;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var docket = context.Docket;
        using var root = context.Places.TargetVolume().OpenRoot();
        Preparation.RequireSensiblePlaces(context);
        using var parent = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1));
        var shown = context.Machine.Volumes.Show(docket.Target);
        if (parent?.Find(docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder })
            throw new Fault(FaultKinds.NothingToAdopt, $"There is no folder at `{shown}`.", "");
        if (docket.Adoption is { } adoption)
            using (var former = FolderOf(context, adoption))
                Find(context, former, adoption);
        using var sourceParent = Reach.TryParent(context.Places.SourceVolume(), docket.Source);
        if (sourceParent?.Find(docket.Source.Parts[^1]) is { Kind: NodeKind.Folder })
        {
            if (docket.Adoption is null)
                Preparation.RequireNobodyNew(context, context.Places.SourceVolume(), root);
        }
        else
        {
            if (docket.Adoption is null)
                throw Faults.SourceMissing(context.Machine.Volumes.Show(docket.Source));
            context.Journal.Record(new NothingAtSource());
        }
        context.Journal.Record(new Adopted());
        context.Journal.Record(new Compared());
        OwnFolders.Make(context, DocketSide.Copy).Dispose();
        if (context.Originals is not null)
            OwnFolders.Make(context, DocketSide.Original).Dispose();
    }

    /// <inheritdoc/>
    public void Undo(StepContext context) => Preparation.TakeBack(context, _ => false);

    /// <summary>The folder of the docket whose receipt is adopted: one that only the system can have made.</summary>
    internal static DocketFolder FolderOf(StepContext context, Adoption adoption)
    {
        try
        {
            return context.Places.TryFolderOf(adoption.Docket, DocketSide.Copy)
                ?? throw Unfit(context, "is not there any more");
        }
        catch (Fault replaced) when (replaced.Kind == FaultKinds.DocketFolderReplaced)
        {
            throw Unfit(context, "was not left there by Furlough");
        }
    }

    private static Fault Unfit(StepContext context, string what) =>
        new(FaultKinds.ReceiptUnfit, $"The receipt of `{context.Places.TargetShown}` {what}.", "");

    /// <summary>The very receipt that the service found genuine, for this holding and this place.</summary>
    internal static Receipt Find(StepContext context, DocketFolder former, Adoption adoption)
    {
        var folder = former.Folder;
        if (folder.Find(Layout.Receipt) is null)
            throw Unfit(context, "is not there any more");
        using var file = folder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        if (Receipt.Parse(text.ReadToEnd()) is not { } read || ReceiptDigest.Of(read.Body) != adoption.Digest)
            throw Unfit(context, "is not the one that was surveyed");
        var docket = read.Receipt.Docket;
        return docket.Holding == context.Docket.Holding && docket.Target == context.Docket.Target
            ? read.Receipt
            : throw Unfit(context, $"is for {docket.Holding} at `{context.Machine.Volumes.Show(docket.Target)}`");
    }
}
