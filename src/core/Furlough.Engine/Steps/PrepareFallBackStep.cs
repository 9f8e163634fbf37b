using Furlough.Engine.Context;
using Furlough.Engine.Originals;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The live place is lost: makes sure of that, and that the original which becomes live again is there. The docket's
/// source is what is lost, its target where the original was set aside.
/// </summary>
public sealed class PrepareFallBackStep : IStep
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
        RequireLost(context);
        context.Settings.RequireFormerLead();
        using var root = context.Places.TargetVolume().OpenRoot();
        Preparation.RequireFreeTarget(context, root);
        using var at = OriginalBack.Folder(context);
        if (at?.Folder is not { } own || own.Find(Layout.Original) is not { Kind: NodeKind.Folder })
            throw new Fault(
                FaultKinds.OriginalMissing,
                $"There is no original beside `{context.Places.TargetShown}`: someone moved or removed it.",
                "Look for it manually, or restore the data from a backup."
            );
        using var original = own.OpenFolder(Layout.Original);
        var changed = own.Find(Layout.Manifest) is null
            ? "it has no manifest beside it"
            : TreeProof
                .Unchanged(original, Manifest.ReadFrom(own), context.Places.TargetVolume().Workers, context.Stop)
                .Difference;
        if (changed is not null)
            context.Report.Add($"The original is not quite what was set aside ({changed}); it is all there is.");
    }

    /// <summary>What can be reached is not lost: a return takes it along, a fall-back would leave it behind.</summary>
    private static void RequireLost(StepContext context)
    {
        try
        {
            using var parent = Reach.TryParent(context.Places.SourceVolume(), context.Docket.Source);
            if (parent?.Find(context.Docket.Source.Parts[^1]) is not { Kind: NodeKind.Folder })
                return;
            using var live = parent.OpenFolder(context.Docket.Source.Parts[^1]);
            live.List();
        }
        catch (IoFault)
        {
            return;
        }
        catch (Fault absent) when (absent.Kind.SaysThatVolumeIsAway)
        {
            return;
        }
        throw new Fault(
            FaultKinds.LivePlaceThere,
            $"The data at `{context.Places.SourceShown}` is there, so nothing is lost.",
            "A return takes it back with everything that was added since."
        );
    }
}
