using System.Globalization;
using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The link that may stay where a holding lived, for programs that know only the old path: it is left before the
/// account can sign in again, taken away when that is undone, and gives way when the holding comes back. Only a link
/// that leads to the holding itself is ever removed.
/// </summary>
internal static class FormerPlace
{
    /// <summary>Leaves the link, if the docket asks for it and nothing else stands there by now.</summary>
    internal static void LeaveLink(StepContext context)
    {
        if (context.Docket is not { LeavesLink: true, Work: DocketWork.Relocate })
            return;
        var volume = context.Places.SourceVolume();
        using var parent = Reach.TryParent(volume, context.Docket.Source);
        if (parent is null)
            return;
        var (leaf, shown) = (context.Docket.Source.Parts[^1], context.Places.SourceShown);
        if (parent.Find(leaf) is null)
            context.Journal.Record(new LeftLink());
        var text = context.Places.TargetShown;
        if (parent.Find(leaf) is null)
            using (context.Places.In(parent, volume))
                parent.MakeLink(leaf, text);
        if (!IsLinkTo(parent, leaf, context.Docket.Target, context))
        {
            if (IsInPlace(context))
                throw NoLink(context);
            context.Report.Add($"No link was left at `{shown}`: something stands there again.");
            return;
        }
        if (uint.TryParse(context.Docket.AccountId, NumberStyles.None, CultureInfo.InvariantCulture, out var owner))
            using (context.Places.In(parent, volume))
                Give(parent, leaf, owner, parent.Facts().Group);
        // A link cannot be flushed separately: its owner is durable with the whole volume.
        volume.Sync();
        context.Report.Add($"A link stands at `{shown}` and leads to `{context.Places.TargetShown}`.");
    }

    /// <summary>Where the program knows only the former place, the link must stand there.</summary>
    internal static void RequireLink(StepContext context)
    {
        if (context.Docket.Work != DocketWork.Relocate || !IsInPlace(context))
            return;
        using var parent = Reach.TryParent(context.Places.SourceVolume(), context.Docket.Source);
        if (parent is null || !IsLinkTo(parent, context.Docket.Source.Parts[^1], context.Docket.Target, context))
            throw NoLink(context);
    }

    private static bool IsInPlace(StepContext context) => context.Docket.Pointers.Any(p => p.Address.InPlace);

    private static Fault NoLink(StepContext context) =>
        new(
            FaultKinds.LinkNotThere,
            $"No link to `{context.Places.TargetShown}` stands at `{context.Places.SourceShown}`, the only place "
                + "that its program knows: something else stands there, or it was taken away.",
            "Look at what stands there now and who put it there."
        );

    /// <summary>Takes the link away that this docket left.</summary>
    internal static void TakeBackLink(StepContext context)
    {
        if (!context.Journal.Records.Has<LeftLink>())
            return;
        using var parent = Reach.TryParent(context.Places.SourceVolume(), context.Docket.Source);
        if (parent is null || !IsLinkTo(parent, context.Docket.Source.Parts[^1], context.Docket.Target, context))
            return;
        using var rights = context.Places.In(parent, context.Places.SourceVolume());
        parent.RemoveFile(context.Docket.Source.Parts[^1]);
        parent.Flush();
    }

    /// <summary>
    /// Whether what stands at the target is a link to the source, which may give way to what comes back.
    /// </summary>
    internal static bool MayGiveWay(StepContext context, IFolder parent)
    {
        var leaf = context.Docket.Target.Parts[^1];
        if (!IsLinkTo(parent, leaf, context.Docket.Source, context))
            return false;
        var facts = parent.Find(leaf)!.Value;
        context.Journal.Record(new LinkGaveWay(facts.Owner, facts.Group, parent.ReadLink(leaf)));
        return true;
    }

    /// <summary>Removes the link at the target, just before the holding arrives there.</summary>
    internal static void GiveWay(StepContext context, IFolder parent)
    {
        var leaf = context.Docket.Target.Parts[^1];
        if (!context.Journal.Records.Has<LinkGaveWay>() || !IsLinkTo(parent, leaf, context.Docket.Source, context))
            return;
        using var rights = context.Places.In(parent, context.Places.TargetVolume());
        parent.RemoveFile(leaf);
    }

    /// <summary>Makes the link at the target again, when the holding did not come back.</summary>
    internal static void RestoreLink(StepContext context, IFolder parent)
    {
        var leaf = context.Docket.Target.Parts[^1];
        if (context.Journal.Records.Find<LinkGaveWay>() is not { } link || parent.Find(leaf) is not null)
            return;
        using (context.Places.In(parent, context.Places.TargetVolume()))
        {
            parent.MakeLink(leaf, link.LeadsTo);
            Give(parent, leaf, link.Owner, link.Group);
        }
        context.Places.TargetVolume().Sync();
    }

    private static void Give(IFolder parent, string leaf, uint owner, uint group) =>
        parent.ApplyTo(leaf, parent.Find(leaf)!.Value with { Owner = owner, Group = group });

    /// <summary>A place whose volume is absent is known by its path alone.</summary>
    private static bool IsLinkTo(IFolder parent, string leaf, Place place, StepContext context) =>
        parent.Find(leaf) is { Kind: NodeKind.Link }
        && parent.ReadLink(leaf) is var text
        && (
            text == context.Machine.Volumes.Show(place)
            || text.Replace('\\', '/').EndsWith("/" + place.Path, StringComparison.Ordinal)
        );
}
