namespace Furlough.EndToEnd.Tests;

/// <summary>The system's clock, set forward: what would take a minute is seen at once.</summary>
public sealed class ShiftedTime : TimeProvider
{
    private long _ticks;

    public override DateTimeOffset GetUtcNow() => System.GetUtcNow().AddTicks(Interlocked.Read(ref _ticks));

    public void Advance(TimeSpan by) => Interlocked.Add(ref _ticks, by.Ticks);
}
