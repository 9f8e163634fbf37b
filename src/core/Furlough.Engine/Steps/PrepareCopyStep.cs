using Furlough.Engine.Context;
using Furlough.Engine.Originals;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Compares reality with the docket (I9), makes the target's folders, the docket's own folders, a staging folder and a
/// first receipt. Touches nothing of the source.
/// </summary>
public sealed class PrepareCopyStep : IStep
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
        var (sourceVolume, targetVolume) = (context.Places.SourceVolume(), context.Places.TargetVolume());
        Preparation.RequireSensiblePlaces(context);
        context.Settings.RequireFormerLead();
        Preparation.RequireSource(context);
        using var root = targetVolume.OpenRoot();
        Preparation.ClearSuperseded(context, targetVolume);
        Preparation.RequireFreeTarget(context, root);
        OriginalBack.Choose(context);
        if (OriginalBack.Of(context) is null)
            Preparation.RequireSpace(context, targetVolume);
        else
            SpaceLedger.ClaimPlace(context);
        context.Journal.Record(new Compared());
        using var parent = TargetFolders.Make(context, root);
        Preparation.RequireNobodyNew(context, sourceVolume, root);
        OwnFolders.Make(context, DocketSide.Original).Dispose();
        using var own = OwnFolders.Make(context, DocketSide.Copy);
        if (own.Folder.Find(Layout.Staging) is null)
            own.Folder.MakeFolder(Layout.Staging, Layout.Closed).Dispose();
        Preparation.WriteReceipt(context, own.Folder);
    }

    /// <inheritdoc/>
    public void Undo(StepContext context) =>
        Preparation.TakeBack(context, parent => RepointStep.StaysAtTarget(context, parent));
}

/// <summary>The same where the source itself is renamed: nothing is copied or set aside.</summary>
public sealed class PrepareExchangeStep : IStep
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
        var (sourceVolume, targetVolume) = (context.Places.SourceVolume(), context.Places.TargetVolume());
        Preparation.RequireSensiblePlaces(context);
        context.Settings.RequireFormerLead();
        if (docket.Source.Volume != docket.Target.Volume)
            throw new Fault(
                FaultKinds.ExchangeAcrossVolumes,
                "The exchange method works on one volume only.",
                "Make a new plan with the cold method."
            );
        Preparation.RequireSource(context);
        using var root = targetVolume.OpenRoot();
        Preparation.ClearSuperseded(context, targetVolume);
        Preparation.RequireFreeTarget(context, root);
        SpaceLedger.ClaimPlace(context);
        context.Journal.Record(new Compared());
        using var parent = TargetFolders.Make(context, root);
        Preparation.RequireNobodyNew(context, sourceVolume, root);
        using var own = OwnFolders.Make(context, DocketSide.Copy);
        Preparation.WriteReceipt(context, own.Folder);
    }

    /// <inheritdoc/>
    public void Undo(StepContext context) => Preparation.TakeBack(context, _ => false);
}
