using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Proofs;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// After quiesce: copies what people changed since the warm copy, removes from the staging folder what is gone, and
/// proves the difference. What was proven before and is unchanged at its source since is not read back again.
/// </summary>
public sealed class CatchUpStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.CatchUp;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSourceHeld;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSourceHeld;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var sourceVolume = context.Places.SourceVolume();
        using var at = context.Places.Own(DocketSide.Copy);
        var own = at.Folder;
        if (own.Find(Layout.Proven) is null)
        {
            own.Move(Layout.Manifest, own, Layout.Proven);
            own.Flush();
        }
        // What people wrote in a way that shows in no time is compared by content; where nobody knows what that is,
        // everything.
        var written = sourceVolume.Abilities.ShowsEveryWrite() ? context.Writes.Written(sourceVolume) : null;
        CopyStep.Copy(context, Name, Layout.Proven, order =>
            order with
            {
                Doubts = file => written is null || written.Contains(file.FileId),
            }
        );
        EqualCopy.Prove(context, Name, Layout.Proven);
        EqualCopy.RequireSourceUnchanged(context, Name);
    }
}
