using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The live place is lost: makes sure of that, and that the original which becomes live again is there. The docket's source is what is
/// lost, its target where the original was set aside.
/// </summary>
public sealed class FallBackPrepareStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        RequireLost(work);
        work.RequireFormerValuesLead();
        using var root = work.TargetVolume().OpenRoot();
        PrepareStep.RequireFreeTarget(work, root);
        using var at = OriginalBack.Folder(work);
        if (at?.Folder is not { } own || own.Find(Layout.Original) is not { Kind: NodeKind.Folder })
            throw new Fault(
                "original-missing",
                $"There is no original beside `{work.Machine.Volumes.Show(work.Docket.Target)}`: somebody moved or removed it.",
                "Look for it by hand, or restore the data from a backup."
            );
        using var original = own.OpenFolder(Layout.Original);
        var changed = own.Find(Layout.Manifest) is null
            ? "it has no manifest beside it"
            : TreeProof.Unchanged(original, Work.ReadManifest(own), work.TargetVolume().Workers, work.Stop).Difference;
        if (changed is not null)
            work.Report($"The original is not quite what was set aside ({changed}); it is all there is.");
    }

    /// <summary>What can be reached is not lost: a return takes it along, a fall-back would leave it behind.</summary>
    private static void RequireLost(Work work)
    {
        try
        {
            using var parent = Work.TryParent(work.SourceVolume(), work.Docket.Source);
            if (parent?.Find(work.Docket.Source.Parts[^1]) is not { Kind: NodeKind.Folder })
                return;
            using var live = parent.OpenFolder(work.Docket.Source.Parts[^1]);
            live.List();
        }
        catch (IoFault)
        {
            return;
        }
        catch (Fault absent) when (absent.Code.StartsWith("volume-", StringComparison.Ordinal))
        {
            return;
        }
        throw new Fault(
            "live-place-there",
            $"The data at `{work.Machine.Volumes.Show(work.Docket.Source)}` is there, so nothing is lost.",
            $"`furlough relocation return {work.Docket.Relocation}` takes it back with everything that was added since."
        );
    }
}
