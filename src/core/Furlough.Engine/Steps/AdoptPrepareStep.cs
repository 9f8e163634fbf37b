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
        if (parent?.Find(docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder }) throw new Fault("nothing-to-adopt", $"There is no folder at `{shown}`.", "Survey the machine and make a new plan.");
        if (docket.Adoption is { } adoption) Find(work, parent, adoption);
        using var sourceParent = Work.TryParent(work.SourceVolume(), docket.Source);
        if (sourceParent?.Find(docket.Source.Parts[^1]) is { Kind: NodeKind.Folder })
        {
            if (docket.Adoption is null) PrepareStep.RequireNobodyNew(work, work.SourceVolume(), root);
        }
        else
        {
            if (docket.Adoption is null) throw Faults.SourceMissing(work.Machine.Volumes.Show(docket.Source));
            work.Note(NothingAtSource, "yes");
        }
        work.Note(Adopted, "yes");
        work.Note(PrepareStep.Compared, "yes");
        if (parent.Find(work.FolderName) is null) parent.MakeFolder(work.FolderName, Layout.Closed).Dispose();
        parent.Flush();
    }

    /// <summary>The very receipt that the service found genuine, for this holding and this place, in a folder that only the system can have made.</summary>
    internal static Receipt Find(Work work, IFolder parent, Adoption adoption)
    {
        using var folder = parent.Find(Layout.FolderOf(adoption.Docket)) is { Kind: NodeKind.Folder } ? parent.OpenFolder(Layout.FolderOf(adoption.Docket)) : null;
        if (folder?.Find(Layout.Receipt) is null || folder.Facts() is { Owner: not 0 }) throw Unfit("is not there any more");
        using var file = folder.OpenFile(Layout.Receipt);
        using var text = new StreamReader(file.Read());
        if (Receipt.Parse(text.ReadToEnd()) is not { } read || ReceiptDigest.Of(read.Body) != adoption.Digest) throw Unfit("is not the one that was surveyed");
        var docket = read.Receipt.Docket;
        return docket.Holding == work.Docket.Holding && docket.Target == work.Docket.Target ? read.Receipt : throw Unfit($"is for {docket.Holding} at `{work.Machine.Volumes.Show(docket.Target)}`");

        Fault Unfit(string what) => new("receipt-unfit", $"The receipt beside `{work.Machine.Volumes.Show(work.Docket.Target)}` {what}.", "Survey the machine and make a new plan.");
    }
}
