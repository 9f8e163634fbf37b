using System.Globalization;
using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Originals;

/// <summary>
/// The original that becomes live again by a rename: the one that a fall-back names, and the one that a return finds
/// unchanged while what lives now is equal to it in everything that is copied. Then nothing needs to be copied, and no
/// room is needed beside it.
/// </summary>
internal static class OriginalBack
{
    /// <summary>The docket that set it aside; null where a copy becomes live.</summary>
    internal static Guid? Of(StepContext context) =>
        context.Docket.Work == DocketWork.FallBack ? context.Docket.Originals[0] : TakenBy(context.Journal.State);

    /// <summary>The same of another docket, which was a return.</summary>
    internal static Guid? TakenBy(JournalState state) => state.Records.Find<RenamesBack>()?.Docket;

    /// <summary>The folder that holds it, or held it; null when it is gone.</summary>
    internal static DocketFolder? Folder(StepContext context) => Of(context) is { } id ? FolderOf(context, id) : null;

    /// <summary>The same of the docket that set it aside.</summary>
    internal static DocketFolder? FolderOf(StepContext context, Guid id) =>
        context.Places.TryFolderOf(id, DocketSide.Original, context.Places.TargetVolume(), context.Docket.Target);

    /// <summary>Where the original of a fall-back stands.</summary>
    internal static Place PlaceOf(StepContext context)
    {
        using var folder = Folder(context);
        var path = Walk.Join(folder?.Path ?? context.Docket.Target.Path, Layout.Original);
        return context.Docket.Target with { Path = path };
    }

    /// <summary>
    /// Decides, by what the file systems say and without reading contents, whether a return may rename an original
    /// back.
    /// </summary>
    internal static void Choose(StepContext context)
    {
        if (
            context.Docket is not { Work: DocketWork.Return, Method: not Method.Exchange }
            || context.Journal.Records.Has<RenamesBack>()
        )
            return;
        var unfit = context
            .Docket.Supersedes.Select(d => context.Journal.Of(d).Records.Find<UnfitOriginal>()?.Docket)
            .ToHashSet();
        var equal = context
            .Docket.Supersedes.Where(e => !unfit.Contains(e) && LooksEqual(context, e))
            .Select(e => (Guid?)e);
        context.Journal.Record(new RenamesBack(equal.FirstOrDefault()));
    }

    private static bool LooksEqual(StepContext context, Guid earlier)
    {
        try
        {
            using var at = FolderOf(context, earlier);
            if (at is not { HoldsOriginal: true, Folder: var own } || own.Find(Layout.Manifest) is null)
                return false;
            using (var original = own.OpenFolder(Layout.Original))
                if (
                    TreeProof
                        .Unchanged(
                            original,
                            Manifest.ReadFrom(own),
                            context.Places.TargetVolume().Workers,
                            context.Stop
                        )
                        .Difference
                    is not null
                )
                    return false;
            using var live = context.Places.OpenSource();
            return TreeProof
                .Copy(
                    live,
                    Manifest.ReadFrom(own).Select(e => e with { IsProven = true }),
                    context.Places.SourceVolume(),
                    new TreeCounter(),
                    context.Stop
                )
                .Difference
                is null;
        }
        catch (Fault)
        {
            // What cannot be read is not renamed back; whatever stands in the way of a copy is said by the copy.
            return false;
        }
    }

    /// <summary>
    /// What is left of its folder when it has become live: lists and receipts of what is an original no more.
    /// </summary>
    internal static void RemoveEmptied(StepContext context)
    {
        try
        {
            using var folder = Folder(context);
            if (folder is { HoldsOriginal: false })
                folder.Remove(CancellationToken.None);
        }
        catch (Fault)
        {
            // The holding is back; lists that cannot be removed now stay beside it.
        }
    }
}
