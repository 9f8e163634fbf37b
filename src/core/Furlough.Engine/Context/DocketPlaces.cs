using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>The volumes and folders of one docket, opened and verified.</summary>
public sealed class DocketPlaces(Docket docket, IMachine machine, DocketJournal journal)
{
    private readonly List<IVolume> _open = [];

    /// <summary>The source as the machine shows it.</summary>
    public string SourceShown => machine.Volumes.Show(docket.Source);

    /// <summary>The target as the machine shows it.</summary>
    public string TargetShown => machine.Volumes.Show(docket.Target);

    /// <summary>The verified source volume (I11).</summary>
    public IVolume SourceVolume() => Held(docket.SourceVolume);

    /// <summary>The verified target volume (I11), still where it was when the docket began.</summary>
    /// <exception cref="Fault"><see cref="FaultKinds.VolumeElsewhere"/></exception>
    public IVolume TargetVolume()
    {
        var volume = Held(docket.TargetVolume);
        var shown = TargetShown;
        if (journal.Records.Find<TargetShown>() is not { Path: var before })
            journal.Record(new TargetShown(shown));
        else if (before != shown)
            throw new Fault(
                FaultKinds.VolumeElsewhere,
                $"The target is at `{shown}` now and was at `{before}` when the work began.",
                "Mount the volume where it was."
            );
        return volume;
    }

    /// <summary>The holding's folder at its source, opened.</summary>
    public IFolder OpenSource()
    {
        using var parent = Reach.Parent(SourceVolume(), docket.Source);
        return parent.OpenFolder(docket.Source.Parts[^1]);
    }

    /// <summary>Lets go of the volumes that a step opened, so that they can be unmounted.</summary>
    public void Release()
    {
        foreach (var volume in _open)
            volume.Dispose();
        _open.Clear();
    }

    private IVolume Held(VolumeIdentity identity)
    {
        var volume = machine.Volumes.Require(identity);
        _open.Add(volume);
        return volume;
    }

    /// <summary>The docket's own folder for its copy or its original; null when it is not there.</summary>
    /// <exception cref="Fault"><c>docket-folder-replaced</c></exception>
    public DocketFolder? TryOwn(DocketSide side) => TryFolderOf(docket.Id, side);

    /// <summary>The docket's own folder, opened.</summary>
    /// <exception cref="Fault">It is gone, or not the one that was made.</exception>
    public DocketFolder Own(DocketSide side) =>
        TryOwn(side)
        ?? throw new Fault(
            FaultKinds.DocketFolderMissing,
            $"The folder in which Furlough keeps the {(side == DocketSide.Copy ? "copy" : "original")} is gone from its volume.",
            "Find out who removed it."
        );

    /// <summary>
    /// The folder of this or another docket of the same holding on one side of this one: as the journal knows it, else
    /// wherever an earlier version or another system may have left it.
    /// </summary>
    public DocketFolder? TryFolderOf(Guid id, DocketSide side)
    {
        var (volume, place) =
            side == DocketSide.Copy ? (TargetVolume(), docket.Target) : (SourceVolume(), docket.Source);
        return TryFolderOf(id, side, volume, place);
    }

    /// <summary>The same on a volume and for a place of its own.</summary>
    public DocketFolder? TryFolderOf(Guid id, DocketSide side, IVolume volume, Place place)
    {
        using var root = volume.OpenRoot();
        return journal.Of(id).Records.Find<OwnFolder>(OwnFolder.KeyOf(side)) is { } record
            ? DocketFolders.TryOpen(root, volume.Abilities, id, side, record)
            : DocketFolders.TryFind(root, volume.Abilities, place, id, side);
    }

    /// <summary>
    /// Acts on names in a folder of a volume with the rights of the holding's account, if the account can change the
    /// folder; else with the system's (I8).
    /// </summary>
    public IDisposable In(IFolder folder, IVolume volume) =>
        docket.Holding.IsShared || !volume.Abilities.Owners || DocketFolders.IsSystems(folder.Facts())
            ? OwnRights.Kept
            : machine.Accounts.As(docket.Holding.Account, docket.AccountId);
}
