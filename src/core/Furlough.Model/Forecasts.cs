using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>A length of time as it is forecast.</summary>
/// <param name="Likely">As often longer as shorter.</param>
/// <param name="High">Nine of ten stay below it.</param>
public sealed record Span(TimeSpan Likely, TimeSpan High)
{
    /// <summary>No time.</summary>
    public static Span None { get; } = new(TimeSpan.Zero, TimeSpan.Zero);

    /// <summary>
    /// One after the other. Single high figures do not all come true together, so their excess adds up as independent
    /// ones do.
    /// </summary>
    public static Span Sum(IEnumerable<Span> spans)
    {
        var (likely, squares) = (0.0, 0.0);
        foreach (var span in spans)
        {
            likely += span.Likely.TotalSeconds;
            squares += Math.Pow((span.High - span.Likely).TotalSeconds, 2);
        }
        return new Span(TimeSpan.FromSeconds(likely), TimeSpan.FromSeconds(likely + Math.Sqrt(squares)));
    }
}

/// <summary>What one relocation will take.</summary>
/// <param name="Work">From its first step to its last.</param>
/// <param name="Outage">The part of it in which its account is locked out.</param>
/// <param name="Learned">How many relocations of this fleet the figures rest on; 0 for the media's usual ones.</param>
public sealed record RelocationForecast(Span Work, Span Outage, int Learned)
{
    /// <summary>The part that is carried out in one go: a warm copy may rest and go on, and all else may not.</summary>
    public Span Unbroken(Method method) => method == Method.Warm ? Outage : Work;
}

/// <summary>The free space of a volume at one moment of a plan.</summary>
/// <param name="What">What has just happened: "now", "Pictures of asa.lind is copied", "its original is
/// discarded".</param>
/// <param name="After">Time since the plan is begun on this machine.</param>
/// <param name="FreeBytes">Free then, growth counted in.</param>
public sealed record SpacePoint(string What, TimeSpan After, long FreeBytes);

/// <summary>A stretch of time in which machines may be worked on.</summary>
public sealed record OpenHours(DateTimeOffset From, DateTimeOffset To)
{
    /// <summary>How long it is.</summary>
    [JsonIgnore]
    public TimeSpan Length => To - From;
}

/// <summary>How long a step took on its machine.</summary>
public sealed record StepTime(Step Step, TimeSpan Took);

/// <summary>How a volume fills up, from its history.</summary>
/// <param name="BytesPerDay">The median slope of its used space, in bytes a day.</param>
/// <param name="LowBytesPerDay">Lower end of its 90 % interval.</param>
/// <param name="HighBytesPerDay">Upper end.</param>
/// <param name="Days">Length of the history.</param>
/// <param name="Samples">How many surveys it rests on.</param>
public sealed record Growth(double BytesPerDay, double LowBytesPerDay, double HighBytesPerDay, double Days, int Samples)
{
    /// <summary>Days until so many bytes are used up at the median slope; null when it does not grow.</summary>
    public double? DaysUntil(long bytes) => At(bytes, BytesPerDay);

    /// <summary>The earliest and the latest of the 90 % interval; null where it may never come.</summary>
    public (double? Earliest, double? Latest) DaysUntilWithin(long bytes) =>
        (At(bytes, HighBytesPerDay), At(bytes, LowBytesPerDay));

    private static double? At(long bytes, double slope) =>
        bytes <= 0 ? 0
        : slope <= 0 ? null
        : bytes / slope;
}
