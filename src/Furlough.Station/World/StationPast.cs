using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>
/// What a stand-in's volumes held in the weeks before it began: a steady growth of its own, the noise of working days,
/// and now and then a large copy. The same for the same seed and day.
/// </summary>
internal static class StationPast
{
    private const int Days = 60;
    private const double GB = 1e9;

    /// <summary>One sample a day, up to yesterday.</summary>
    internal static IEnumerable<VolumeSample> Of(StationMachine machine)
    {
        var today = new DateTimeOffset(machine.Clock.GetUtcNow().UtcDateTime.Date, TimeSpan.Zero);
        foreach (var volume in machine.VolumeStates)
        {
            var seed = machine.Spec.Seed * 31 + (ulong)volume.Index;
            // A fifth of the volumes hardly grow; the others by up to 2 % of their size in a week.
            var daily = Share(seed) < 0.2 ? 0.01 * GB : volume.Spec.SizeBytes * 0.003 * Share(seed + 1);
            daily = Math.Min(daily, volume.DeclaredUsedBytes * 0.7 / Days);
            for (var ago = Days; ago >= 1; ago--)
            {
                var noise = (Share(seed + (ulong)ago * 17) - 0.5) * 2 * Math.Max(6 * daily, 0.8 * GB);
                var copy = ago % 23 == (int)(seed % 23) ? 12 * daily : 0;
                yield return new VolumeSample(
                    volume.Identity.Key,
                    today.AddDays(-ago).AddHours(20),
                    Math.Clamp(volume.DeclaredUsedBytes - (long)(daily * ago - noise - copy), 0, volume.Spec.SizeBytes)
                );
            }
        }
    }

    private static double Share(ulong value) => FileRange.Mix(value) % 100_000 / 100_000.0;
}
