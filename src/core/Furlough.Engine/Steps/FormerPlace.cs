using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// The link that may stay where a holding lived, for programs that know only the old path: it is left before the account is let in again,
/// taken away when that is undone, and gives way when the holding comes back. Only a link that leads to the holding itself is ever removed.
/// </summary>
internal static class FormerPlace
{
    private const string Left = "link-left",
        GaveWay = "link-gave-way";

    /// <summary>Leaves the link, if the docket asks for it and nothing else stands there by now.</summary>
    internal static void LeaveLink(Work work)
    {
        if (work.Docket is not { LeavesLink: true, Work: DocketWork.Relocate })
            return;
        var volume = work.SourceVolume();
        using var parent = Work.TryParent(volume, work.Docket.Source);
        if (parent is null)
            return;
        var (leaf, shown) = (work.Docket.Source.Parts[^1], work.Machine.Volumes.Show(work.Docket.Source));
        if (parent.Find(leaf) is null)
            work.Note(Left, "yes");
        var text = work.Machine.Volumes.Show(work.Docket.Target);
        if (parent.Find(leaf) is null)
            using (work.In(parent, volume))
                parent.MakeLink(leaf, text);
        if (!IsLinkTo(parent, leaf, work.Docket.Target, work))
        {
            if (IsInPlace(work))
                throw NoLink(work);
            work.Report($"No link was left at `{shown}`: something stands there again.");
            return;
        }
        if (uint.TryParse(work.Docket.AccountId, NumberStyles.None, CultureInfo.InvariantCulture, out var owner))
            using (work.In(parent, volume))
                Give(parent, leaf, owner, parent.Facts().Group);
        // A link cannot be flushed by itself: its owner is durable with the whole volume.
        volume.Sync();
        work.Report($"A link stands at `{shown}` and leads to `{work.Machine.Volumes.Show(work.Docket.Target)}`.");
    }

    /// <summary>Where the program knows only the former place, the link must stand there.</summary>
    internal static void RequireLink(Work work)
    {
        if (work.Docket.Work != DocketWork.Relocate || !IsInPlace(work))
            return;
        using var parent = Work.TryParent(work.SourceVolume(), work.Docket.Source);
        if (parent is null || !IsLinkTo(parent, work.Docket.Source.Parts[^1], work.Docket.Target, work))
            throw NoLink(work);
    }

    private static bool IsInPlace(Work work) => work.Docket.Pointers.Any(p => p.Address.InPlace);

    private static Fault NoLink(Work work) =>
        new(
            "link-not-there",
            $"No link to `{work.Machine.Volumes.Show(work.Docket.Target)}` stands at `{work.Machine.Volumes.Show(work.Docket.Source)}`, the only place that its program knows: something else stands there, or it was taken away.",
            "Look at what stands there now and who put it there, then {retry}."
        );

    /// <summary>Takes the link away that this docket left.</summary>
    internal static void TakeBackLink(Work work)
    {
        if (work.Noted(Left) is null)
            return;
        using var parent = Work.TryParent(work.SourceVolume(), work.Docket.Source);
        if (parent is null || !IsLinkTo(parent, work.Docket.Source.Parts[^1], work.Docket.Target, work))
            return;
        using var rights = work.In(parent, work.SourceVolume());
        parent.RemoveFile(work.Docket.Source.Parts[^1]);
        parent.Flush();
    }

    /// <summary>Whether what stands at the target is a link to the source, which may give way to what comes back.</summary>
    internal static bool MayGiveWay(Work work, IFolder parent)
    {
        var leaf = work.Docket.Target.Parts[^1];
        if (!IsLinkTo(parent, leaf, work.Docket.Source, work))
            return false;
        var facts = parent.Find(leaf)!.Value;
        work.Note(
            GaveWay,
            string.Create(CultureInfo.InvariantCulture, $"{facts.Owner} {facts.Group} {parent.ReadLink(leaf)}")
        );
        return true;
    }

    /// <summary>Removes the link at the target, just before the holding arrives there.</summary>
    internal static void GiveWay(Work work, IFolder parent)
    {
        var leaf = work.Docket.Target.Parts[^1];
        if (work.Noted(GaveWay) is null || !IsLinkTo(parent, leaf, work.Docket.Source, work))
            return;
        using var rights = work.In(parent, work.TargetVolume());
        parent.RemoveFile(leaf);
    }

    /// <summary>Makes the link at the target again, when the holding did not come back.</summary>
    internal static void RestoreLink(Work work, IFolder parent)
    {
        var leaf = work.Docket.Target.Parts[^1];
        if (work.Noted(GaveWay)?.Split(' ', 3) is not [var owner, var group, var text] || parent.Find(leaf) is not null)
            return;
        using (work.In(parent, work.TargetVolume()))
        {
            parent.MakeLink(leaf, text);
            Give(
                parent,
                leaf,
                uint.Parse(owner, CultureInfo.InvariantCulture),
                uint.Parse(group, CultureInfo.InvariantCulture)
            );
        }
        work.TargetVolume().Sync();
    }

    private static void Give(IFolder parent, string leaf, uint owner, uint group) =>
        parent.ApplyTo(leaf, parent.Find(leaf)!.Value with { Owner = owner, Group = group });

    /// <summary>A place whose volume is absent is known by its path alone.</summary>
    private static bool IsLinkTo(IFolder parent, string leaf, Place place, Work work) =>
        parent.Find(leaf) is { Kind: NodeKind.Link }
        && parent.ReadLink(leaf) is var text
        && (
            text == work.Machine.Volumes.Show(place)
            || text.Replace('\\', '/').EndsWith("/" + place.Path, StringComparison.Ordinal)
        );
}
