using Furlough.Model;

namespace Furlough.Planning.Forecasts;

/// <summary>
/// The free space of a machine's volumes through a plan: every copy takes space on its target when it is made, and its
/// source gets space back only when the original is discarded, after its keeping time. Meanwhile volumes fill up as
/// they always did.
/// </summary>
public static class SpaceTimeline
{
    /// <summary>A relocation as far as space is concerned.</summary>
    /// <param name="TakesBytes">Space that it takes on its target; 0 where the data is there already or is only
    /// renamed.</param>
    /// <param name="GivesBytes">Space that its source gets back when the original is discarded.</param>
    /// <param name="Work">How long it takes.</param>
    /// <param name="Keep">How long its original is kept.</param>
    public sealed record Change(
        string Holding,
        string Source,
        string Target,
        long TakesBytes,
        long GivesBytes,
        TimeSpan Work,
        TimeSpan Keep
    );

    /// <summary>The free space of one volume.</summary>
    /// <param name="volume">The volume as surveyed.</param>
    /// <param name="changes">The machine's relocations, in order.</param>
    /// <param name="growth">How the volume fills up automatically; null when nothing is known.</param>
    public static IReadOnlyList<SpacePoint> Of(VolumeFacts volume, IReadOnlyList<Change> changes, Growth? growth)
    {
        var key = volume.Identity.Key;
        List<(TimeSpan After, string What, long Bytes)> events = [];
        var (at, end) = (TimeSpan.Zero, TimeSpan.Zero);
        foreach (var change in changes)
        {
            at += change.Work;
            if (at + change.Keep > end)
                end = at + change.Keep;
            if (change.Target == key && change.TakesBytes > 0)
                events.Add((at, $"{change.Holding} is copied", -change.TakesBytes));
            if (change.Source == key && change.GivesBytes > 0)
                events.Add((at + change.Keep, $"the original of {change.Holding} is discarded", change.GivesBytes));
        }
        // An original of one relocation may still be kept while a later one is copied.
        var slope = Math.Max(0, growth?.BytesPerDay ?? 0);
        var changed = 0L;
        List<SpacePoint> points = [new("now", TimeSpan.Zero, volume.FreeBytes)];
        foreach (var (after, what, bytes) in events.OrderBy(e => e.After).ThenBy(e => e.Bytes))
        {
            var grown = (long)(slope * after.TotalDays);
            // Just before space is given back growth has taken most of it.
            if (bytes > 0 && grown > 0)
                points.Add(new SpacePoint($"before {what}", after, Math.Max(0, volume.FreeBytes + changed - grown)));
            changed += bytes;
            points.Add(new SpacePoint(what, after, Math.Max(0, volume.FreeBytes + changed - grown)));
        }
        if (slope > 0 && changes.Count > 0 && points[^1].After < end)
            points.Add(
                new SpacePoint(
                    "the keeping time is over",
                    end,
                    Math.Max(0, volume.FreeBytes + changed - (long)(slope * end.TotalDays))
                )
            );
        return points;
    }

    /// <summary>The point with the least free space; the first of several.</summary>
    public static SpacePoint Lowest(IReadOnlyList<SpacePoint> points) => points.MinBy(p => p.FreeBytes)!;
}
