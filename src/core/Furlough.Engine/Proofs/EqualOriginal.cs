using Furlough.Engine.Context;
using Furlough.Engine.Originals;
using Furlough.Engine.Ports;
using Furlough.Engine.Records;
using Furlough.Engine.Steps;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Proofs;

/// <summary>The original that is to be renamed back, read from the medium, is equal to what lives now.</summary>
public sealed class EqualOriginal : IProof
{
    /// <summary>What lives now, listed while it is compared.</summary>
    private const string Listing = "compared";

    /// <summary>
    /// Reads what lives now and compares it with what was set aside; lists it as the manifest. False: it is copied like
    /// everything else.
    /// </summary>
    internal static bool TryList(StepContext context, Step step)
    {
        var source = context.Places.SourceVolume();
        context.Journal.Record(new LiveFlushed(CopyStep.Flushed(source)));
        using var live = context.Places.OpenSource();
        using var at = context.Places.Own(DocketSide.Copy);
        using var aside = OriginalBack.Folder(context);
        if (aside is { HoldsOriginal: true } && TryList(context, step, live, at.Folder, aside.Folder))
            return true;
        context.Journal.Record(new RenamesBack(null));
        Preparation.RequireSpace(context, context.Places.TargetVolume());
        return false;
    }

    private static bool TryList(StepContext context, Step step, IFolder live, IFolder own, IFolder aside)
    {
        foreach (var name in (string[])[Layout.Manifest, Listing])
            if (own.Find(name) is not null)
                own.RemoveFile(name);
        var counter = context.Counter();
        var equal = true;
        using (context.Report.Watch(step, counter))
        using (var list = own.MakeFile(Listing))
            Manifest.Append(list, Equal(), end: true);
        if (!equal)
        {
            own.RemoveFile(Listing);
            return false;
        }
        own.Move(Listing, own, Layout.Manifest);
        own.Flush();
        return true;

        IEnumerable<ManifestEntry> Equal()
        {
            using var then = Manifest.ReadFrom(aside).GetEnumerator();
            foreach (var now in TreeListing.Of(live, counter, _ => { }, context.Stop))
            {
                equal = then.MoveNext() && IsSame(now, then.Current);
                if (!equal)
                    yield break;
                yield return now;
            }
            equal = !then.MoveNext();
        }
    }

    /// <summary>Whether a copy of the one would be the other.</summary>
    private static bool IsSame(ManifestEntry now, ManifestEntry then) =>
        now.Facts.Kind == then.Facts.Kind
        && (now.Facts.Kind != NodeKind.File || now.Facts.SizeBytes == then.Facts.SizeBytes)
        && now.Facts.ModifiedNs == then.Facts.ModifiedNs
        && (now.Facts.Kind == NodeKind.Link || now.Facts.Mode == then.Facts.Mode)
        && (now.Facts.Owner, now.Facts.Group) == (then.Facts.Owner, then.Facts.Group)
        && (now.Path, now.Digest, now.AttributesDigest, now.Link)
            == (then.Path, then.Digest, then.AttributesDigest, then.Link);

    /// <summary>Reads the original from the medium and compares it with what lives now.</summary>
    /// <exception cref="Fault"><c>original-changed</c>: the next attempt copies what lives now.</exception>
    public void Prove(StepContext context, Step step)
    {
        using var at = context.Places.Own(DocketSide.Copy);
        using var aside = OriginalBack.Folder(context) ?? throw Faults.CopyMissing();
        using var original = aside.Folder.OpenFolder(Layout.Original);
        EqualCopy.Compare(context, step, at.Folder, original, context.Places.TargetVolume(), null, difference =>
        {
            context.Journal.Record(new UnfitOriginal(OriginalBack.Of(context)!.Value));
            return new Fault(
                FaultKinds.OriginalChanged,
                $"The original reads otherwise than when it was set aside ({difference}); it stays where it is.",
                "Have the disk checked. The next attempt copies back what lives now."
            );
        });
    }

    /// <inheritdoc/>
    public void RequireStillTrue(StepContext context, Step step) => EqualCopy.RequireSourceUnchanged(context, step);

    /// <summary>
    /// After quiesce: what lives now still is what was compared while people could go on working. What was written in a
    /// way that shows in no time is read again.
    /// </summary>
    /// <exception cref="Fault">People changed something meanwhile: the next attempt copies.</exception>
    internal static void RequireStillEqual(StepContext context, Step step)
    {
        var source = context.Places.SourceVolume();
        using var at = context.Places.Own(DocketSide.Copy);
        CopyStep.Flushed(source);
        EqualCopy.RequireSourceUnchanged(context, step);
        var flushed = context.Journal.Records.Find<LiveFlushed>()!.AtNs;
        var written = source.Abilities.ShowsEveryWrite() ? context.Writes.Written(source) : null;
        using var live = context.Places.OpenSource();
        var difference = TreeProof
            .Copy(
                live,
                Manifest.ReadFrom(at.Folder).Select(e => e with { IsProven = IsSettled(e.Facts) }),
                source,
                context.Counter(),
                context.Stop
            )
            .Difference;
        if (difference is not null)
            throw Faults.SourceChanged(difference);

        bool IsSettled(NodeFacts facts) =>
            written?.Contains(facts.FileId) == false && TreeCopy.ShowsNextWrite(facts, flushed);
    }
}
