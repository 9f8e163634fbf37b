using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Engine.Context;

/// <summary>Turns counters into progress with a rate over the last seconds.</summary>
internal sealed class ProgressMeter : IDisposable
{
    private readonly Docket _docket;
    private readonly Step _step;
    private readonly TreeCounter _counter;
    private readonly IWatcher _watcher;
    private readonly TimeProvider _time;
    private readonly ITimer _timer;
    private readonly Queue<(long At, long Bytes)> _recent = new();

    public ProgressMeter(Docket docket, Step step, TreeCounter counter, IWatcher watcher, TimeProvider time)
    {
        (_docket, _step, _counter, _watcher, _time) = (docket, step, counter, watcher, time);
        _recent.Enqueue((time.GetTimestamp(), counter.Bytes.Bytes));
        _timer = time.CreateTimer(_ => Tick(), null, TimeSpan.Zero, TimeSpan.FromMilliseconds(500));
    }

    public void Dispose()
    {
        _timer.Dispose();
        Tick();
    }

    private void Tick()
    {
        lock (_recent)
        {
            var (now, bytes) = (_time.GetTimestamp(), _counter.Bytes.Bytes);
            _recent.Enqueue((now, bytes));
            while (_recent.Count > 10)
                _recent.Dequeue();
            var seconds = _time.GetElapsedTime(_recent.Peek().At, now).TotalSeconds;
            var rate = seconds > 0 ? (long)((bytes - _recent.Peek().Bytes) / seconds) : 0;
            double? left = rate > 0 ? Math.Max(0, _docket.DataBytes - bytes) / (double)rate : null;
            _watcher.Progressed(
                new Progress(
                    _docket.Id,
                    _docket.Relocation,
                    _step,
                    _counter.Files,
                    _docket.Files,
                    bytes,
                    _docket.DataBytes,
                    rate,
                    left,
                    _time.GetUtcNow()
                )
            );
        }
    }
}
