using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Queue;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The folders above a target, and the empty folder that may stand there: made for a docket, and put back as they were.
/// </summary>
internal static class TargetFolders
{
    /// <summary>Dockets that are carried out side by side may share folders above their targets.</summary>
    private static readonly Lock Shared = new();

    /// <summary>
    /// Makes the folders above the target; those from <see cref="Docket.OwnedFrom"/> on belong to the account and to
    /// nobody else.
    /// </summary>
    internal static IFolder Make(StepContext context, IFolder root)
    {
        lock (Shared)
            return MakeAbove(context, root);
    }

    private static IFolder MakeAbove(StepContext context, IFolder root)
    {
        var parts = context.Docket.Target.Parts;
        var at = root.OpenFolder(".");
        try
        {
            for (var i = 0; i < parts.Count - 1; i++)
            {
                if (at.Find(parts[i]) is null)
                {
                    if (!context.Journal.Records.Has<MadeParents>())
                        context.Journal.Record(new MadeParents(i));
                    using (context.Places.In(at, context.Places.TargetVolume()))
                        MakeOne(context, at, parts[i], i >= context.Docket.OwnedFrom);
                }
                var next = at.OpenSubvolume(parts[i]);
                at.Dispose();
                at = next;
            }
            return at;
        }
        catch
        {
            // A handle left open would keep the volume from being unmounted.
            at.Dispose();
            throw;
        }
    }

    /// <summary>Makes one folder: an account's own and closed to others, or the system's and open.</summary>
    internal static void MakeOne(StepContext context, IFolder parent, string name, bool owned)
    {
        using (var made = parent.MakeFolder(name, owned ? Layout.Closed : Layout.Open))
            if (owned)
                context.Machine.Accounts.Give(made, context.Docket.Holding.Account, context.Docket.AccountId);
            else
                made.Apply(made.Facts() with { Mode = Layout.Open }, Attributes.None);
        parent.Flush();
    }

    /// <summary>
    /// Folders that this docket made above the target are removed again if they are empty and no other docket is about
    /// to use them.
    /// </summary>
    internal static void RemoveMade(StepContext context, IVolume volume)
    {
        lock (Shared)
            RemoveUnused(context, volume);
    }

    private static void RemoveUnused(StepContext context, IVolume volume)
    {
        if (context.Journal.Records.Find<MadeParents>() is not { FromPart: var from })
            return;
        using var root = volume.OpenRoot();
        var parts = context.Docket.Target.Parts;
        for (var i = parts.Count - 2; i >= from; i--)
        {
            using var parent = Reach.TryFolder(root, parts.Take(i));
            if (parent?.Find(parts[i]) is null)
                continue;
            if (SpaceLedger.IsUsed(context, context.Docket.Target with { Path = string.Join('/', parts.Take(i + 1)) }))
                return;
            using (var folder = parent.OpenFolder(parts[i]))
                if (folder.List().Count > 0)
                    return;
            using (context.Places.In(parent, volume))
                parent.RemoveFolder(parts[i]);
            parent.Flush();
        }
    }

    /// <summary>Puts back what gave way at the target: an empty folder, or a link to the source.</summary>
    internal static void RestoreEmpty(StepContext context, IFolder parent)
    {
        FormerPlace.RestoreLink(context, parent);
        var leaf = context.Docket.Target.Parts[^1];
        if (context.Journal.Records.Find<EmptyTarget>() is not { } empty || parent.Find(leaf) is not null)
            return;
        using var rights = context.Places.In(parent, context.Places.TargetVolume());
        using var folder = parent.MakeFolder(leaf, empty.Mode);
        folder.Apply(
            folder.Facts() with
            {
                Mode = empty.Mode,
                Owner = empty.Owner,
                Group = empty.Group,
            },
            Attributes.None
        );
        parent.Flush();
    }
}
