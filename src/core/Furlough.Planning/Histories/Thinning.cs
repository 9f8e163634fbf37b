namespace Furlough.Planning.Histories;

/// <summary>
/// Which moments of a history are kept: all of the last two days, one a day for 90 days, one a week for two years.
/// </summary>
public static class Thinning
{
    private static readonly TimeSpan All = TimeSpan.FromDays(2),
        Daily = TimeSpan.FromDays(90),
        Weekly = TimeSpan.FromDays(730);

    /// <summary>The moments that may go. The newest of each day or week stays, and the newest of all.</summary>
    public static IReadOnlyList<DateTimeOffset> Surplus(IReadOnlyCollection<DateTimeOffset> moments, DateTimeOffset now)
    {
        HashSet<long> taken = [];
        List<DateTimeOffset> surplus = [];
        foreach (var moment in moments.OrderDescending())
        {
            var age = now - moment;
            var day = moment.UtcTicks / TimeSpan.TicksPerDay;
            // Days and weeks are counted apart, so that a week's kept day is not met again as a day.
            var stays =
                taken.Count == 0
                || age <= All
                || (age <= Daily ? taken.Add(day) : age <= Weekly && taken.Add(-1 - day / 7));
            if (stays)
                taken.Add(day);
            else
                surplus.Add(moment);
        }
        return surplus;
    }
}
