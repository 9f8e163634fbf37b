using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Makes a docket's own folders where no account can reach them (I8), and makes sure that everything can be renamed
/// between them and the docket's places before anything is copied.
/// </summary>
internal static class OwnFolders
{
    private const string Trial = "trial";

    /// <summary>The docket's folder on one side; made where it is not there yet.</summary>
    /// <exception cref="Fault"><c>no-closed-folder</c>: every folder from which the place can be reached by a rename
    /// can be changed by someone else.</exception>
    internal static DocketFolder Make(StepContext context, DocketSide side)
    {
        var (volume, place) =
            side == DocketSide.Copy
                ? (context.Places.TargetVolume(), context.Docket.Target)
                : (context.Places.SourceVolume(), context.Docket.Source);
        using var root = volume.OpenRoot();
        var begun = context.Journal.Records.Find<OwnFolder>(OwnFolder.KeyOf(side));
        if (begun is { FileId: not null })
            return context.Places.Own(side);
        // Begun by a version that kept it beside the place.
        if (
            begun is null
            && DocketFolders.TryFind(root, volume.Abilities, place, context.Docket.Id, side) is { } former
        )
            return former;
        using var parent = Reach.Parent(volume, place);
        foreach (var ground in DocketFolders.Grounds(root, volume.Abilities, place))
        {
            var record = begun?.Ground == ground ? begun : new OwnFolder(side, ground, OwnFolder.FreshToken(), null);
            context.Journal.Record(record);
            var made = DocketFolders.Make(root, volume.Abilities, context.Docket.Id, side, record);
            try
            {
                if (side == DocketSide.Copy)
                    TryInto(context, made.Folder, parent);
                else
                    TryFrom(context, made.Folder, parent, volume);
                context.Journal.Record(record with { FileId = made.Folder.Facts().FileId });
                return made;
            }
            catch (IoFault apart) when (apart.Reason == IoReason.OtherVolume)
            {
                made.Remove(CancellationToken.None);
                made.Dispose();
            }
            catch
            {
                made.Dispose();
                throw;
            }
        }
        throw new Fault(
            FaultKinds.NoClosedFolder,
            $"There is no folder on the volume of `{context.Machine.Volumes.Show(place)}` in which only the "
                + "system can rename anything: someone else owns the volume's root or may write in it. Furlough keeps "
                + "copies and originals in such a folder only.",
            "Give the root folder of that volume to the system (owner root, mode 0755, or 1777 where people make folders there)."
        );
    }

    /// <summary>Takes the empty folder of all dockets away where the last of them has gone.</summary>
    internal static void Tidy(StepContext context)
    {
        foreach (
            var (identity, place) in (ReadOnlySpan<(VolumeIdentity, Place)>)
                [
                    (context.Docket.SourceVolume, context.Docket.Source),
                    (context.Docket.TargetVolume, context.Docket.Target),
                ]
        )
        {
            try
            {
                using var volume = context.Machine.Volumes.Require(identity);
                using var root = volume.OpenRoot();
                DocketFolders.RemoveEmptyContainers(root, volume.Abilities, place);
            }
            catch (Fault)
            {
                // A volume that is away, or does not let itself be written: an empty folder of ours stays there.
            }
        }
    }

    /// <summary>Removes the docket's folder on one side, unless an original stands in it.</summary>
    internal static void Remove(StepContext context, DocketSide side)
    {
        var (volume, place) =
            side == DocketSide.Copy
                ? (context.Places.TargetVolume(), context.Docket.Target)
                : (context.Places.SourceVolume(), context.Docket.Source);
        using (var parent = Reach.TryParent(volume, place))
            if (parent is not null)
                RemoveTrial(context, parent);
        try
        {
            using var own = context.Places.TryOwn(side);
            if (own is { HoldsOriginal: false })
                own.Remove(CancellationToken.None);
        }
        catch (Fault replaced) when (replaced.Kind == FaultKinds.DocketFolderReplaced)
        {
            context.Report.Add(replaced.Message);
        }
    }

    /// <summary>Removes what a trial that was cut short left beside a place.</summary>
    internal static void RemoveTrial(StepContext context, IFolder parent)
    {
        if (parent.Find(Layout.TrialOf(context.Docket.Id)) is not null)
            parent.RemoveFolder(Layout.TrialOf(context.Docket.Id));
    }

    private static void TryInto(StepContext context, IFolder own, IFolder parent)
    {
        own.CountWith(parent);
        RemoveTrial(context, parent);
        if (own.Find(Trial) is null)
            own.MakeFolder(Trial, Layout.Closed).Dispose();
        own.Move(Trial, parent, Layout.TrialOf(context.Docket.Id));
        RemoveTrial(context, parent);
    }

    private static void TryFrom(StepContext context, IFolder own, IFolder parent, IVolume volume)
    {
        var name = Layout.TrialOf(context.Docket.Id);
        if (own.Find(Trial) is not null)
            own.RemoveFolder(Trial);
        try
        {
            if (parent.Find(name) is null)
                using (context.Places.In(parent, volume))
                    parent.MakeFolder(name, Layout.Closed).Dispose();
        }
        catch (IoFault cannot) when (cannot.Reason is IoReason.Denied or IoReason.NoSpace or IoReason.ReadOnly)
        {
            // What the account may not make there, or finds no room for, says nothing about the rename.
            return;
        }
        parent.Move(name, own, Trial);
        own.RemoveFolder(Trial);
    }
}
