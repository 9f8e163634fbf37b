using System.Globalization;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>Copies the holding into the staging folder; goes on where an earlier attempt was cut short. With the warm method people go on working meanwhile. A return that finds its original equal to what lives copies nothing.</summary>
public sealed class CopyStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Copy;

    /// <inheritdoc/>
    public void Perform(Work work)
    {
        if (OriginalBack.Of(work) is not null && OriginalBack.TryList(work, Name))
            return;
        if (work.Docket.Method != Method.Warm)
        {
            Copy(work, Name, null, order => order);
            return;
        }
        var source = work.SourceVolume();
        work.Writes.Begin(source);
        var flushed = Flushed(source);
        // What an attempt that was cut short has copied was written to unwatched since.
        Copy(work, Name, null, order => order with { InUse = true, FlushedNs = flushed, Doubts = _ => true });
    }

    /// <summary>Flushes the source, so that every later write to it shows; says when. A source that does not let itself be flushed shows nothing.</summary>
    internal static long Flushed(IVolume source)
    {
        var now = source.NowNs;
        try
        {
            source.Sync();
        }
        catch (IoFault)
        {
            return long.MinValue;
        }
        return source.Abilities.ShowsEveryWrite() ? now : long.MinValue;
    }

    /// <summary>Makes the staging folder equal to the source and lists it as the manifest. What an attempt cut short has listed, or the list named <paramref name="proven"/>, is kept where both sides are unchanged.</summary>
    /// <param name="under">The conditions of the copy.</param>
    internal static void Copy(Work work, Step step, string? proven, Func<CopyOrder, CopyOrder> under)
    {
        var sourceVolume = work.SourceVolume();
        var targetVolume = work.TargetVolume();
        using var source = OpenHolding(work, sourceVolume);
        using var at = work.Own(DocketSide.Copy);
        var own = at.Folder;
        using var staging = own.OpenFolder(Layout.Staging);
        if (own.Find(Layout.Manifest) is not null)
            own.RemoveFile(Layout.Manifest);

        var lists = own.List()
            .Where(e => e.Name.StartsWith(Layout.Listed, StringComparison.Ordinal))
            .Select(e => e.Name)
            .ToList();
        var earlier = lists
            .OrderByDescending(Number)
            .Concat(proven is null ? [] : [proven])
            .Select(name => new ManifestCursor(Work.ReadManifest(own, name)))
            .ToList();
        var fresh =
            Layout.Listed + (lists.Select(Number).DefaultIfEmpty(0).Max() + 1).ToString(CultureInfo.InvariantCulture);
        var counter = work.Counter();
        try
        {
            using var watch = work.Watch(step, counter);
            using var list = own.MakeFile(fresh);
            own.Flush();
            var order = under(
                new CopyOrder(
                    targetVolume,
                    list,
                    earlier,
                    Math.Min(sourceVolume.Workers, targetVolume.Workers),
                    InUse: false
                )
            );
            foreach (var note in TreeCopy.Run(source, staging, order, counter, work.Stop))
                work.Report(note);
        }
        finally
        {
            foreach (var list in earlier)
                list.Dispose();
        }
        work.TargetVolume();
        own.Move(fresh, own, Layout.Manifest);
        foreach (var list in lists)
            own.RemoveFile(list);
        own.Flush();
    }

    /// <summary>Opens the holding's folder at its source.</summary>
    internal static IFolder OpenHolding(Work work, IVolume sourceVolume)
    {
        using var parent = Work.Parent(sourceVolume, work.Docket.Source);
        return parent.OpenFolder(work.Docket.Source.Parts[^1]);
    }

    private static int Number(string name) =>
        int.TryParse(name.AsSpan(Layout.Listed.Length), NumberStyles.None, CultureInfo.InvariantCulture, out var n)
            ? n
            : 0;
}
