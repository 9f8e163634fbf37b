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
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        using var at = work.Own(DocketSide.Copy);
        var own = at.Folder;
        if (own.Find(Layout.Proven) is null)
        {
            own.Move(Layout.Manifest, own, Layout.Proven);
            own.Flush();
        }
        var proven = TrustsChangeTimes(sourceVolume.Abilities) ? Layout.Proven : null;
        CopyStep.Copy(work, Name, proven, inUse: false);
        using (var staging = own.OpenFolder(Layout.Staging)) ProveStep.Prove(work, Name, own, staging, targetVolume, proven);
        ProveStep.RequireSourceUnchanged(work, Name, own, sourceVolume);
    }

    /// <summary>A file system without a fine change time of its own cannot say that nothing was changed: everything is read again.</summary>
    private static bool TrustsChangeTimes(FileSystemAbilities abilities) => abilities.TimeStepNanoseconds < 1_000_000;
}
