using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>The data is at the target already: compares reality with the docket, finds the receipt that it was promised, and makes the docket's own folder beside the target.</summary>
public sealed class AdoptPrepareStep : IStep
{
    /// <summary>Set for a docket whose target was there before it: undoing leaves it where it is.</summary>
    internal const string Adopted = "adopted";

    /// <summary>Set when nothing stands at the source, so that nothing is set aside.</summary>
    internal const string NothingAtSource = "nothing-at-source";

    /// <inheritdoc/>
    public Step Name => Step.Prepare;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var docket = work.Docket;
        using var root = work.TargetVolume().OpenRoot();
        PrepareStep.RequireSensiblePlaces(work);
        using var parent = Reach.TryFolder(root, docket.Target.Parts.SkipLast(1));
        var shown = work.Machine.Volumes.Show(docket.Target);
        if (parent?.Find(docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder })
            throw new Fault(
                "nothing-to-adopt",
                $"There is no folder at `{shown}`.",
                "Survey the machine and make a new plan."
            );
        if (docket.Adoption is { } adoption)
            using (var former = FolderOf(work, adoption))
                Find(work, former, adoption);
        using var sourceParent = Work.TryParent(work.SourceVolume(), docket.Source);
        if (sourceParent?.Find(docket.Source.Parts[^1]) is { Kind: NodeKind.Folder })
        {
            if (docket.Adoption is null)
                PrepareStep.RequireNobodyNew(work, work.SourceVolume(), root);
        }
        else
        {
            if (docket.Adoption is null)
                throw Faults.SourceMissing(work.Machine.Volumes.Show(docket.Source));
            work.Note(NothingAtSource, "yes");
        }
        work.Note(Adopted, "yes");
        work.Note(PrepareStep.Compared, "yes");
        OwnFolders.Make(work, DocketSide.Copy).Dispose();
        if (work.KeepsOriginal)
            OwnFolders.Make(work, DocketSide.Original).Dispose();
    }

    /// <summary>The folder of the docket whose receipt is adopted: one that only the system can have made.</summary>
    internal static DocketFolder FolderOf(Work work, Adoption adoption)
    {
        try
        {
            return work.TryFolderOf(adoption.Docket, DocketSide.Copy) ?? throw Unfit(work, "is not there any more");
        }
        catch (Fault replaced) when (replaced is not IoFault && replaced.Code == DocketFolders.ReplacedCode)
        {
            throw Unfit(work, "was not left there by Furlough");
        }
    }

    private static Fault Unfit(Work work, string what) =>
        new(
            "receipt-unfit",
            $"The receipt of `{work.Machine.Volumes.Show(work.Docket.Target)}` {what}.",
            "Survey the machine and make a new plan."
        );

    /// <summary>The very receipt that the service found genuine, for this holding and this place.</summary>
    internal static Receipt Find(Work work, DocketFolder former, Adoption adoption)
    {
        var folder = former.Folder;
        if (folder.Find(Layout.Receipt) is null)
            throw Unfit(work, "is not there any more");
        using var file = folder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        if (Receipt.Parse(text.ReadToEnd()) is not { } read || ReceiptDigest.Of(read.Body) != adoption.Digest)
            throw Unfit(work, "is not the one that was surveyed");
        var docket = read.Receipt.Docket;
        return docket.Holding == work.Docket.Holding && docket.Target == work.Docket.Target
            ? read.Receipt
            : throw Unfit(work, $"is for {docket.Holding} at `{work.Machine.Volumes.Show(docket.Target)}`");
    }
}
