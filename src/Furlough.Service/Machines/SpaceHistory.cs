using Furlough.Model;
using Furlough.Planning.Histories;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>What volumes held over time, thinned with age, and how they fill up.</summary>
public static class SpaceHistory
{
    private static readonly TimeSpan WorkedOutEvery = TimeSpan.FromHours(6),
        Oldest = TimeSpan.FromDays(3 * 365),
        ClockDoubt = TimeSpan.FromHours(1);

    /// <summary>Keeps what a survey says, and what its machine remembers from before.</summary>
    public static async Task KeepAsync(
        FurloughDb db,
        MachineRow machine,
        Survey survey,
        DateTimeOffset now,
        CancellationToken stop
    )
    {
        var said = survey
            .Samples()
            .Where(s => s.At <= now + ClockDoubt && s.At >= now - Oldest)
            .DistinctBy(s => (s.Volume, s.At))
            .ToList();
        var stale =
            machine.GrowthAt is not { } at || now - at >= WorkedOutEvery || survey.Past.Count > survey.Volumes.Count;
        if (!stale)
        {
            var earliest = said.Select(s => s.At).DefaultIfEmpty(now).Min();
            var kept = await db
                .Space.Where(s => s.Machine == machine.Id && s.At >= earliest)
                .Select(s => new { s.Volume, s.At })
                .ToListAsync(stop);
            foreach (var sample in said.Where(s => !kept.Contains(new { s.Volume, s.At })))
                Add(sample);
            return;
        }
        var known = await db.Space.Where(s => s.Machine == machine.Id).ToListAsync(stop);
        var moments = known.Select(s => (s.Volume, s.At)).ToHashSet();
        foreach (var sample in said.Where(s => moments.Add((s.Volume, s.At))))
            known.Add(Add(sample));
        var breaks = await db.SpaceBreaks.Where(b => b.Machine == machine.Id).Select(b => b.At).ToListAsync(stop);
        Dictionary<string, Growth> growth = [];
        foreach (var volume in known.GroupBy(s => s.Volume))
            if (Thin(db, [.. volume], breaks, now) is { } found)
                growth[volume.Key] = found;
        machine.Growth = Column.Write(growth, ModelJson.Default.IReadOnlyDictionaryStringGrowth);
        machine.GrowthAt = now;

        SpaceRow Add(VolumeSample sample)
        {
            var row = new SpaceRow
            {
                Machine = machine.Id,
                Volume = sample.Volume,
                At = sample.At,
                UsedBytes = sample.UsedBytes,
            };
            db.Space.Add(row);
            return row;
        }
    }

    /// <summary>Removes what a volume's history has too much of; says how it fills up.</summary>
    private static Growth? Thin(
        FurloughDb db,
        IReadOnlyList<SpaceRow> volume,
        IReadOnlyList<DateTimeOffset> breaks,
        DateTimeOffset now
    )
    {
        var surplus = Thinning.Surplus([.. volume.Select(s => s.At)], now).ToHashSet();
        db.Space.RemoveRange(volume.Where(s => surplus.Contains(s.At)));
        return GrowthEstimate.Of(
            volume.Where(s => !surplus.Contains(s.At)).Select(s => new SpaceSample(s.At, s.UsedBytes)),
            breaks
        );
    }
}
