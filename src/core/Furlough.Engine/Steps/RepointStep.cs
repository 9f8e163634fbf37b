using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Makes the proven copy, or the original, the target by one rename, then changes every pointer by compare-and-swap.</summary>
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
            if (work.Noted(AdoptPrepareStep.Adopted) is not null)
                Stay(work, parent);
            else
            {
                Arrive(work, targetVolume, parent);
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
            if (work.Machine.Pointers.Read(change.Address) == next)
                continue;
            work.Machine.Pointers.Swap(change.Address, work.FormerOf(change), next);
        }
    }

    /// <summary>The data is where it shall be.</summary>
    private static void Stay(Work work, IFolder parent)
    {
        if (work.Noted(TargetId) is not null)
            return;
        if (parent.Find(work.Docket.Target.Parts[^1]) is not { Kind: NodeKind.Folder } there)
            throw Missing();
        work.Note(TargetId, there.FileId.ToString(CultureInfo.InvariantCulture));
    }

    /// <summary>What becomes the target: the source itself, the original, or the proven copy.</summary>
    private static void Arrive(Work work, IVolume targetVolume, IFolder parent)
    {
        if (work.Docket.Method == Method.Exchange && work.Docket.Work != DocketWork.FallBack)
        {
            using var above = Work.Parent(work.SourceVolume(), work.Docket.Source);
            Arrive(work, above, work.Docket.Source.Parts[^1], targetVolume, parent);
            return;
        }
        var (at, name) = Waiting(work);
        using (at)
            Arrive(work, at.Folder, name, targetVolume, parent);
    }

    /// <summary>Where what becomes the target waits, and goes back to when it does not: the original's folder or the copy's.</summary>
    internal static (DocketFolder At, string Name) Waiting(Work work) =>
        OriginalBack.Of(work) is null
            ? (work.Own(DocketSide.Copy), Layout.Staging)
            : (OriginalBack.Folder(work) ?? throw Missing(), Layout.Original);

    internal static Fault Missing() =>
        new(
            "copy-missing",
            "What was to become live is gone from the target volume.",
            "Find out who removed it, then {retry}."
        );

    private static void Arrive(Work work, IFolder from, string name, IVolume targetVolume, IFolder parent)
    {
        var leaf = work.Docket.Target.Parts[^1];
        if (from.Find(name) is not { } moving)
        {
            if (IsArrived(work, parent))
                return;
            throw Missing();
        }
        work.Note(TargetId, moving.FileId.ToString(CultureInfo.InvariantCulture));
        FormerPlace.GiveWay(work, parent);
        if (parent.Find(leaf) is { Kind: NodeKind.Folder } && work.Noted(PrepareStep.EmptyTarget) is not null)
            using (work.In(parent, targetVolume))
                parent.RemoveFolder(leaf);
        from.Move(name, parent, leaf);
        RequireArrived(work, from, name, targetVolume, parent);
        parent.Flush();
        from.Flush();
    }

    /// <summary>The whole path must lead to what was moved: whoever owns a folder above may have moved that away meanwhile. Then everything goes back.</summary>
    private static void RequireArrived(Work work, IFolder from, string name, IVolume targetVolume, IFolder parent)
    {
        using var walked = Work.TryParent(targetVolume, work.Docket.Target);
        if (walked is not null && walked.Facts().FileId == parent.Facts().FileId && IsArrived(work, walked))
            return;
        parent.Move(work.Docket.Target.Parts[^1], from, name);
        throw new Fault(
            "target-moved-away",
            $"The folders above `{work.Machine.Volumes.Show(work.Docket.Target)}` were moved or replaced while the holding was put there.",
            "Find out who did that, then {retry}."
        );
    }

    /// <summary>Whether the folder at the target is the one that this docket put there.</summary>
    internal static bool IsArrived(Work work, IFolder parent) =>
        work.Noted(TargetId) is { } id
        && parent.Find(work.Docket.Target.Parts[^1]) is { Kind: NodeKind.Folder } there
        && there.FileId.ToString(CultureInfo.InvariantCulture) == id;
}
