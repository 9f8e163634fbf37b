using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Model;

namespace Furlough.Engine.Proofs;

/// <summary>The receipt at a target, by which data that is there already is known again.</summary>
internal static class AdoptedReceipt
{
    /// <summary>The folder of the docket whose receipt is adopted: one that only the system can have made.</summary>
    internal static DocketFolder FolderOf(StepContext context, Adoption adoption)
    {
        try
        {
            return context.Places.TryFolderOf(adoption.Docket, DocketSide.Copy)
                ?? throw Unfit(context, "is not there any more");
        }
        catch (Fault replaced) when (replaced.Kind == FaultKinds.DocketFolderReplaced)
        {
            throw Unfit(context, "was not left there by Furlough");
        }
    }

    private static Fault Unfit(StepContext context, string what) =>
        new(FaultKinds.ReceiptUnfit, $"The receipt of `{context.Places.TargetShown}` {what}.", "");

    /// <summary>The very receipt that the service found genuine, for this holding and this place.</summary>
    internal static Receipt Find(StepContext context, DocketFolder former, Adoption adoption)
    {
        var folder = former.Folder;
        if (folder.Find(Layout.Receipt) is null)
            throw Unfit(context, "is not there any more");
        using var file = folder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        if (Receipt.Parse(text.ReadToEnd()) is not { } read || ReceiptDigest.Of(read.Body) != adoption.Digest)
            throw Unfit(context, "is not the one that was surveyed");
        var docket = read.Receipt.Docket;
        return docket.Holding == context.Docket.Holding && docket.Target == context.Docket.Target
            ? read.Receipt
            : throw Unfit(context, $"is for {docket.Holding} at `{context.Machine.Volumes.Show(docket.Target)}`");
    }
}
