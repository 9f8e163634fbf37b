using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Engine.Queue;

/// <summary>
/// Carries out dockets on threads of their own, as many side by side as the queue allows. A docket that has to wait
/// lets the others pass and is looked at again.
/// </summary>
/// <param name="open">What is to be carried out, in order.</param>
/// <param name="carryOut">Carries a docket out until it ends (true) or has to wait (false).</param>
/// <param name="rests">Called when a docket has ended and nothing that could begin is left.</param>
/// <param name="lookAgain">After so long a docket that had to wait is looked at again.</param>
public sealed class Dispatcher(
    DocketQueue queue,
    Func<IReadOnlyList<QueuedDocket>> open,
    Func<Docket, CancellationToken, bool> carryOut,
    Action rests,
    TimeSpan lookAgain
) : IDisposable
{
    private readonly Lock _lock = new();
    private readonly AutoResetEvent _changed = new(false);
    private readonly HashSet<Guid> _underWay = [];

    /// <summary>Dockets that had to wait, with the tick at which they are looked at again.</summary>
    private readonly Dictionary<Guid, long> _waiting = [];
    private readonly List<Task> _begun = [];
    private bool _hasEnded;

    /// <inheritdoc/>
    public void Dispose() => _changed.Dispose();

    /// <summary>There may be something to do; whatever waits is looked at, too.</summary>
    public void Wake()
    {
        lock (_lock)
            _waiting.Clear();
        _changed.Set();
    }

    /// <summary>Works until stopped. Returns when everything that was begun has come to a safe point.</summary>
    /// <exception cref="OperationCanceledException">Stopped.</exception>
    /// <exception cref="CutShortException">The process dies, or a simulation of it: the others were stopped at a safe point.</exception>
    public void Run(CancellationToken stop)
    {
        using var failing = CancellationTokenSource.CreateLinkedTokenSource(stop);
        WaitHandle[] handles = [_changed, failing.Token.WaitHandle];
        try
        {
            while (!failing.IsCancellationRequested)
            {
                var (pause, nothingIsLeft) = Begin(failing);
                if (nothingIsLeft)
                    rests();
                WaitHandle.WaitAny(handles, pause);
            }
        }
        finally
        {
            failing.Cancel();
            // Throws what one of them threw, as it was thrown.
            Task.WhenAll(_begun).GetAwaiter().GetResult();
        }
        stop.ThrowIfCancellationRequested();
    }

    /// <summary>Begins what can begin.</summary>
    /// <returns>
    /// How long nothing else is to be done unless something changes, and whether what ended last was the last.
    /// </returns>
    private (TimeSpan Pause, bool NothingIsLeft) Begin(CancellationTokenSource failing)
    {
        lock (_lock)
        {
            _begun.RemoveAll(t => t.IsCompletedSuccessfully);
            var now = Environment.TickCount64;
            foreach (var over in _waiting.Where(w => w.Value <= now).Select(w => w.Key).ToList())
                _waiting.Remove(over);
            var candidates = open().Where(q => !_waiting.ContainsKey(q.Docket.Id)).ToList();
            foreach (var docket in queue.Startable(candidates, _underWay))
            {
                _underWay.Add(docket.Id);
                _begun.Add(
                    Task.Factory.StartNew(
                        () => CarryOut(docket, failing),
                        CancellationToken.None,
                        TaskCreationOptions.LongRunning,
                        TaskScheduler.Default
                    )
                );
            }
            var nothingIsLeft = _hasEnded && _underWay.Count == 0;
            if (nothingIsLeft)
                _hasEnded = false;
            var pause =
                _waiting.Count == 0
                    ? Timeout.InfiniteTimeSpan
                    : TimeSpan.FromMilliseconds(Math.Max(1, _waiting.Values.Min() - now));
            return (pause, nothingIsLeft);
        }
    }

    private void CarryOut(Docket docket, CancellationTokenSource failing)
    {
        var isOver = false;
        try
        {
            isOver = carryOut(docket, failing.Token);
        }
        catch (OperationCanceledException) when (failing.IsCancellationRequested)
        {
            // It goes on at the next start.
        }
        catch
        {
            failing.Cancel();
            throw;
        }
        finally
        {
            lock (_lock)
            {
                _underWay.Remove(docket.Id);
                if (!isOver)
                    _waiting[docket.Id] = Environment.TickCount64 + (long)lookAgain.TotalMilliseconds;
                _hasEnded |= isOver;
            }
            _changed.Set();
        }
    }
}
