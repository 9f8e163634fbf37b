using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Makes the proven copy the target by one rename, then changes every pointer by compare-and-swap.</summary>
public sealed class RepointStep : IStep
{
    /// <summary>File number of the folder that becomes the target: by it our own folder is recognised there.</summary>
    internal const string TargetId = "target-id";

    /// <inheritdoc/>
    public Step Name => Step.Repoint;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        var targetVolume = work.TargetVolume();
        using (var parent = Work.Parent(targetVolume, work.Docket.Target))
        {
            if (work.Noted(AdoptPrepareStep.Adopted) is not null) Stay(work, parent);
            else
            {
                using var from = Whence(work, parent, out var name);
                Arrive(work, from, name, parent);
            }
        }
        ChangePointers(work);
        work.TargetVolume();
        work.RequirePointersAtTarget();
    }

    /// <summary>Changes every pointer that does not lead to the target yet; links in a holding's place are left later, or have given way.</summary>
    internal static void ChangePointers(Work work)
    {
        foreach (var change in work.Docket.Pointers.Where(p => !p.Address.InPlace))
        {
            var next = work.NextOf(change);
            if (work.Machine.Pointers.Read(change.Address) == next) continue;
            work.Machine.Pointers.Swap(change.Address, work.FormerOf(change), next);
        }
    }

    /// <summary>The data is where it shall be.</summary>
    private static void Stay(Work work, IFolder parent)
    {
        if (work.Noted(TargetId) is not null) return;
        if (parent.Find(work.Docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder } there) throw Missing();
        work.Note(TargetId, there.FileId.ToString(CultureInfo.InvariantCulture));
    }

    /// <summary>What becomes the target: the source itself, the original, or the proven copy.</summary>
    private static IFolder Whence(Work work, IFolder parent, out string name)
    {
        if (work.Docket.Work == DocketWork.FallBack)
        {
            name = Layout.Original;
            return FallBackPrepareStep.OriginalsFolder(work, parent) ?? throw Missing();
        }
        var source = work.SourceVolume();
        name = work.Docket.Method == Method.Exchange ? work.Docket.Source.Parts[^1] : Layout.Staging;
        return work.Docket.Method == Method.Exchange ? Work.Parent(source, work.Docket.Source) : parent.OpenFolder(work.FolderName);
    }

    private static Fault Missing() => new("copy-missing", "What was to become live is gone from the target volume.", "Find out who removed it, then {retry}.");

    private static void Arrive(Work work, IFolder from, string name, IFolder parent)
    {
        var leaf = work.Docket.Target.Parts[^1];
        if (from.Find(name) is not { } moving)
        {
            if (IsArrived(work, parent)) return;
            throw Missing();
        }
        work.Note(TargetId, moving.FileId.ToString(CultureInfo.InvariantCulture));
        FormerPlace.GiveWay(work, parent);
        if (parent.Find(leaf) is { Kind: NodeKind.Folder } && work.Noted(PrepareStep.EmptyTarget) is not null) parent.RemoveFolder(leaf);
        from.Move(name, parent, leaf);
        parent.Flush();
        from.Flush();
    }

    /// <summary>Whether the folder at the target is the one that this docket put there.</summary>
    internal static bool IsArrived(Work work, IFolder parent) =>
        work.Noted(TargetId) is { } id && parent.Find(work.Docket.Target.Parts[^1]) is { Kind: NodeKind.Folder } there
        && there.FileId.ToString(CultureInfo.InvariantCulture) == id;
}
