using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Proofs;
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
            using (var former = AdoptedReceipt.FolderOf(context, adoption))
                AdoptedReceipt.Find(context, former, adoption);
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
}
