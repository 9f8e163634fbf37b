using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>
/// Lets bytes pass at the docket's rate, and heeds at every file what the service wishes: that it rests, or that the
/// docket is backed out. Safe for several threads.
/// </summary>
/// <param name="mayPause">Whether nobody is locked out yet; from quiesce on a wish to rest is not heeded, so that
/// nobody waits longer than needed.</param>
public sealed class Pace(
    Docket docket,
    IPermits permits,
    Func<bool> mayPause,
    TimeProvider time,
    CancellationToken stop
)
{
    private static readonly TimeSpan Unnoticed = TimeSpan.FromMilliseconds(2);

    private readonly Lock _lock = new();
    private long _passedUntil;

    /// <summary>Bytes were read or written: comes back when the rate allows the next ones.</summary>
    /// <exception cref="Parked">It shall rest.</exception>
    /// <exception cref="Fault">The docket is to be backed out.</exception>
    public void Pass(long bytes)
    {
        Heed();
        if (docket.Terms.BytesPerSecond is not { } rate || bytes <= 0)
            return;
        TimeSpan ahead;
        lock (_lock)
        {
            var now = time.GetTimestamp();
            _passedUntil = Math.Max(_passedUntil, now) + (long)((double)bytes / rate * time.TimestampFrequency);
            ahead = time.GetElapsedTime(now, _passedUntil);
        }
        if (ahead > Unnoticed)
            Task.Delay(ahead, time, stop).GetAwaiter().GetResult();
    }

    /// <summary>Stops the work where the service wishes it.</summary>
    public void Heed()
    {
        var wish = permits.WishOf(docket.Id);
        if (wish == Wish.BackOut)
            throw Faults.BackedOutByHand();
        if (wish.Rests() && mayPause())
            throw new Parked(Faults.NotNow(wish));
    }
}

/// <summary>
/// The docket cannot go on now and need not be undone: it is taken up again when <paramref name="why"/> is over.
/// </summary>
public sealed class Parked(Fault why) : Exception(why.Message)
{
    /// <summary>What it waits for.</summary>
    public Fault Why => why;
}
