namespace Furlough.Station.World;

/// <summary>
/// Simulated time of one stand-in: work costs simulated seconds, of which many pass in a real one. Rates and remaining
/// times come out as they would on the declared media; dates stay real.
/// </summary>
/// <param name="speed">Simulated seconds in a real second.</param>
public sealed class StationClock(double speed) : TimeProvider
{
    private readonly Lock _lock = new();
    private double _seconds,
        _owed;

    /// <inheritdoc/>
    public override long TimestampFrequency => 1_000_000;

    /// <summary>Simulated seconds so far.</summary>
    public double Seconds
    {
        get
        {
            lock (_lock)
                return _seconds;
        }
    }

    /// <summary>Until then the machine has no connection.</summary>
    public DateTimeOffset CutUntil { get; set; } = DateTimeOffset.MinValue;

    /// <inheritdoc/>
    public override long GetTimestamp() => (long)(Seconds * 1_000_000);

    /// <summary>Lets simulated time pass; the caller waits the real time that it takes.</summary>
    internal void Spend(double seconds)
    {
        TimeSpan wait;
        lock (_lock)
        {
            _seconds += seconds;
            _owed += seconds / speed;
            if (_owed < 0.02)
                return;
            wait = TimeSpan.FromSeconds(_owed);
            _owed = 0;
        }
        CancellationToken.None.WaitHandle.WaitOne(wait);
    }
}
