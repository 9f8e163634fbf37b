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
        work.SourceVolume();
        using (var parent = Work.Parent(targetVolume, work.Docket.Target))
        {
            if (work.Docket.Method == Method.Exchange)
            {
                using var from = Work.Parent(work.SourceVolume(), work.Docket.Source);
                Arrive(work, from, work.Docket.Source.Parts[^1], parent);
            }
            else
            {
                using var own = parent.OpenFolder(work.FolderName);
                Arrive(work, own, Layout.Staging, parent);
            }
        }
        foreach (var change in work.Docket.Pointers)
        {
            var next = work.NextOf(change);
            if (work.Machine.Pointers.Read(change.Address) == next) continue;
            work.Machine.Pointers.Swap(change.Address, change.Expected, next);
        }
        work.TargetVolume();
        work.RequirePointersAtTarget();
    }

    private static void Arrive(Work work, IFolder from, string name, IFolder parent)
    {
        var leaf = work.Docket.Target.Parts[^1];
        if (from.Find(name) is not { } moving)
        {
            if (IsArrived(work, parent)) return;
            throw new Fault("copy-missing", "The proven copy is gone from the target volume.", "Find out who removed it, then {retry}.");
        }
        work.Note(TargetId, moving.FileId.ToString(CultureInfo.InvariantCulture));
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
