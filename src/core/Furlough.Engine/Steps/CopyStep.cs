using System.Globalization;
using Furlough.Engine.Context;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Steps;

/// <summary>
/// Copies the holding into the staging folder while nobody works in it; goes on where an earlier attempt was cut short.
/// </summary>
/// <param name="during">The state in which it works.</param>
public sealed class CopyStep(StepState during) : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Copy;

    /// <inheritdoc/>
    public StepState Entering => during;

    /// <inheritdoc/>
    public StepState Leaving => during;

    /// <inheritdoc/>
    public void Perform(StepContext context) => Copy(context, Name, null, order => order);

    /// <summary>
    /// Flushes the source, so that every later write to it shows; says when. A source that does not let itself be
    /// flushed shows nothing.
    /// </summary>
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

    /// <summary>
    /// Makes the staging folder equal to the source and lists it as the manifest. What an attempt cut short has listed,
    /// or the list named <paramref name="proven"/>, is kept where both sides are unchanged.
    /// </summary>
    /// <param name="under">The conditions of the copy.</param>
    internal static void Copy(StepContext context, Step step, string? proven, Func<CopyOrder, CopyOrder> under)
    {
        var sourceVolume = context.Places.SourceVolume();
        var targetVolume = context.Places.TargetVolume();
        using var source = context.Places.OpenSource();
        using var at = context.Places.Own(DocketSide.Copy);
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
            .Select(name => new ManifestCursor(Manifest.ReadFrom(own, name)))
            .ToList();
        var fresh =
            Layout.Listed + (lists.Select(Number).DefaultIfEmpty(0).Max() + 1).ToString(CultureInfo.InvariantCulture);
        var counter = context.Counter();
        try
        {
            using var watch = context.Report.Watch(step, counter);
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
            foreach (var note in TreeCopy.Run(source, staging, order, counter, context.Stop))
                context.Report.Add(note);
        }
        finally
        {
            foreach (var list in earlier)
                list.Dispose();
        }
        context.Places.TargetVolume();
        own.Move(fresh, own, Layout.Manifest);
        foreach (var list in lists)
            own.RemoveFile(list);
        own.Flush();
    }

    private static int Number(string name) =>
        int.TryParse(name.AsSpan(Layout.Listed.Length), NumberStyles.None, CultureInfo.InvariantCulture, out var n)
            ? n
            : 0;
}

/// <summary>The same while people go on working in it.</summary>
public sealed class CopyInUseStep : IStep
{
    /// <inheritdoc/>
    public Step Name => Step.Copy;

    /// <inheritdoc/>
    public StepState Entering => StepState.AtSource;

    /// <inheritdoc/>
    public StepState Leaving => StepState.AtSource;

    /// <inheritdoc/>
    public void Perform(StepContext context)
    {
        var source = context.Places.SourceVolume();
        context.Writes.Begin(source);
        var flushed = CopyStep.Flushed(source);
        // What an attempt that was cut short has copied was written to unwatched since.
        CopyStep.Copy(context, Name, null, order =>
            order with
            {
                InUse = true,
                FlushedNs = flushed,
                Doubts = _ => true,
            }
        );
    }
}
