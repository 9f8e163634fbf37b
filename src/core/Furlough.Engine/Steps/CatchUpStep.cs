using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// After quiesce: copies what people changed since the warm copy, removes from the staging folder what is gone, and proves the difference. What
/// was proven before and is unchanged at its source since is not read back again.
/// </summary>
public sealed class CatchUpStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.CatchUp;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        if (OriginalBack.Of(work) is not null)
        {
            OriginalBack.RequireStillEqual(work, Name);
            return;
        }
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        using var at = work.Own(DocketSide.Copy);
        var own = at.Folder;
        if (own.Find(Layout.Proven) is null)
        {
            own.Move(Layout.Manifest, own, Layout.Proven);
            own.Flush();
        }
        // What people wrote in a way that shows in no time is compared by content; where nobody knows what that is, everything.
        var written = sourceVolume.Abilities.ShowsEveryWrite() ? work.Writes.Written(sourceVolume) : null;
        CopyStep.Copy(work, Name, Layout.Proven, order =>
            order with
            {
                Doubts = file => written is null || written.Contains(file.FileId),
            }
        );
        using (var staging = own.OpenFolder(Layout.Staging))
            ProveStep.Prove(work, Name, own, staging, targetVolume, Layout.Proven);
        ProveStep.RequireSourceUnchanged(work, Name, own, sourceVolume);
    }
}
