using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Compares reality with a docket that gathers what stands again at a holding's former place (I9), and makes the docket's folder beside the live place. The docket's source is the former place, its target the live one.</summary>
public sealed class GatherPrepareStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var docket = work.Docket;
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        PrepareStep.RequireSensiblePlaces(work);
        using (var sourceParent = Work.TryParent(sourceVolume, docket.Source))
            if (sourceParent?.Find(docket.Source.Parts[^1]) is not { Kind: NodeKind.Folder })
                throw new Fault(
                    "nothing-to-gather",
                    $"There is no folder at the former place `{work.Machine.Volumes.Show(docket.Source)}`.",
                    "There is nothing to do."
                );
        using var root = targetVolume.OpenRoot();
        using var parent = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1));
        if (parent?.Find(docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder })
            throw new Fault(
                "live-place-missing",
                $"There is no folder at `{work.Machine.Volumes.Show(docket.Target)}`, where the holding should live.",
                "Find the folder, then {retry}."
            );
        PrepareStep.ClearSuperseded(work, targetVolume);
        PrepareStep.RequireSpace(work, targetVolume);
        PrepareStep.RequireNobodyNew(work, sourceVolume, root);
        work.Note(PrepareStep.Compared, "yes");
        using var own = OwnFolders.Make(work, DocketSide.Copy);
        if (own.Folder.Find(Layout.Staging) is null)
            own.Folder.MakeFolder(Layout.Staging, Layout.Closed).Dispose();
        own.Folder.Flush();
    }
}
