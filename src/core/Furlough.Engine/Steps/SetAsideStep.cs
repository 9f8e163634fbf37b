using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Writes the receipt and sets the source aside: it is now the original.</summary>
public sealed class SetAsideStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.SetAside;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtTargetHeld;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtTargetHeld;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        context.Places.TargetVolume();
        context.Settings.RequireAtTarget();
        using var copy = context.Places.Own(DocketSide.Copy);
        var proven = context.Journal.Records.Find<Proven>() ?? new Proven(0, 0);
        var receipt = new Receipt(
            context.Docket,
            context.Settings.History(),
            context.Time.GetUtcNow(),
            proven.Files,
            proven.Bytes,
            Receipt.DigestOfManifest(copy.Folder),
            context.Machine.Accounts.Names()
        );
        receipt.Write(copy.Folder, context.Signer);
        context.Originals?.SetAside(context, receipt);
    }

    /// <inheritdoc/>
    public void Undo(StepContext context) => context.Originals?.PutBack(context);
}
