using System.Collections.Concurrent;
using System.Runtime.ExceptionServices;
using Furlough.Engine.Ports;

namespace Furlough.Engine.Trees;

/// <summary>
/// Threads that carry out what one walker hands them. The first fault ends the work and is thrown at the walker. A crew
/// of one is the walker itself, so that everything happens in order.
/// </summary>
internal sealed class Crew<T> : IDisposable
{
    private readonly Action<T> _work;
    private readonly BlockingCollection<T>? _waiting;
    private readonly Thread[] _threads = [];
    private readonly Lock _lock = new();
    private Exception? _failure;
    private int _unfinished;

    internal Crew(int workers, Action<T> work)
    {
        _work = work;
        if (workers <= 1)
            return;
        _waiting = new BlockingCollection<T>(workers * 2);
        _threads = [.. Enumerable.Range(0, workers).Select(_ => new Thread(Labour) { IsBackground = true })];
        foreach (var thread in _threads)
            thread.Start();
    }

    /// <summary>Whether the walker works alone.</summary>
    internal bool IsAlone => _waiting is null;

    /// <summary>Hands a portion over; waits while everybody is busy.</summary>
    internal void Hand(T portion)
    {
        if (_waiting is null)
        {
            _work(portion);
            return;
        }
        ThrowFailure();
        Interlocked.Increment(ref _unfinished);
        _waiting.Add(portion);
    }

    /// <summary>Waits until everything that was handed over is done.</summary>
    internal void Drain()
    {
        if (IsAlone)
            return;
        lock (_threads)
            while (Volatile.Read(ref _unfinished) > 0)
                Monitor.Wait(_threads);
        ThrowFailure();
    }

    /// <summary>Lets the crew finish what it holds and go.</summary>
    public void Dispose()
    {
        if (_waiting is null)
            return;
        _waiting.CompleteAdding();
        foreach (var thread in _threads)
            thread.Join();
        _waiting.Dispose();
    }

    private void Labour()
    {
        foreach (var portion in _waiting!.GetConsumingEnumerable())
        {
            try
            {
                if (Volatile.Read(ref _failure) is null)
                    _work(portion);
                else
                    (portion as IDisposable)?.Dispose();
            }
            catch (Exception failure)
            {
                lock (_lock)
                    if (_failure is null || (_failure is not Fault && failure is Fault))
                        _failure = failure;
            }
            if (Interlocked.Decrement(ref _unfinished) > 0)
                continue;
            lock (_threads)
                Monitor.PulseAll(_threads);
        }
    }

    private void ThrowFailure()
    {
        if (Volatile.Read(ref _failure) is { } failure)
            ExceptionDispatchInfo.Throw(failure);
    }
}

/// <summary>A folder that several hold; the last one closes it.</summary>
internal sealed class SharedFolder(IFolder folder, bool close) : IDisposable
{
    private int _holders = 1;

    internal IFolder Folder => folder;

    internal SharedFolder Share()
    {
        Interlocked.Increment(ref _holders);
        return this;
    }

    public void Dispose()
    {
        if (Interlocked.Decrement(ref _holders) == 0 && close)
            folder.Dispose();
    }
}
