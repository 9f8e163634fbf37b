using System.Diagnostics.Metrics;

namespace Furlough.Service.Metrics;

/// <summary>What the service counts and times as it works. The names are public: alert rules use them.</summary>
internal static class Measures
{
    /// <summary>Under which all of the service's own figures are found.</summary>
    internal const string Name = "Furlough";

    private static readonly Meter Meter = new(Name);

    /// <summary>How long a transaction took, with its flush.</summary>
    internal static readonly Histogram<double> StorageWrite = Meter.CreateHistogram<double>(
        "furlough.storage.write",
        "s",
        "Time of one transaction of the storage, with its flush to the disk",
        advice: new InstrumentAdvice<double>
        {
            HistogramBucketBoundaries = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10],
        }
    );

    internal static readonly Counter<long> Bulletins = Meter.CreateCounter<long>(
        "furlough.bulletins",
        "{bulletin}",
        "Bulletins taken in from machines"
    );

    /// <summary>By code.</summary>
    internal static readonly Counter<long> Refusals = Meter.CreateCounter<long>(
        "furlough.refusals",
        "{refusal}",
        "Calls that were refused, by code"
    );

    internal static readonly Counter<long> Unforeseen = Meter.CreateCounter<long>(
        "furlough.unforeseen",
        "{error}",
        "Calls that met something unforeseen"
    );
}
