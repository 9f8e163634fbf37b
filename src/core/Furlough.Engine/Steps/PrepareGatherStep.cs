using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Compares reality with a docket that gathers what stands again at a holding's former place (I9), and makes the
/// docket's folder beside the live place. The docket's source is the former place, its target the live one.
/// </summary>
public sealed class PrepareGatherStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTarget;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTarget;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var docket = context.Docket;
        var sourceVolume = context.Places.SourceVolume();
        var targetVolume = context.Places.TargetVolume();
        Preparation.RequireSensiblePlaces(context);
        using (var sourceParent = Reach.TryParent(sourceVolume, docket.Source))
            if (sourceParent?.Find(docket.Source.Parts[^1]) is not { Kind: NodeKind.Folder })
                throw new Fault(
                    FaultKinds.NothingToGather,
                    $"There is no folder at the former place `{context.Machine.Volumes.Show(docket.Source)}`.",
                    "There is nothing to do."
                );
        using var root = targetVolume.OpenRoot();
        using var parent = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1));
        if (parent?.Find(docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder })
            throw new Fault(
                FaultKinds.LivePlaceMissing,
                $"There is no folder at `{context.Machine.Volumes.Show(docket.Target)}`, where the holding should live.",
                "Find the folder."
            );
        Preparation.ClearSuperseded(context, targetVolume);
        Preparation.RequireSpace(context, targetVolume);
        Preparation.RequireNobodyNew(context, sourceVolume, root);
        context.Journal.Record(new Compared());
        using var own = OwnFolders.Make(context, DocketSide.Copy);
        if (own.Folder.Find(Layout.Staging) is null)
            own.Folder.MakeFolder(Layout.Staging, Layout.Closed).Dispose();
        own.Folder.Flush();
    }

    /// <inheritdoc/>
    public void Undo(StepContext context) => Preparation.TakeBack(context, _ => false);
}
