using System.Runtime.InteropServices;
using Furlough.Engine.Ports;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>
/// Hears from the kernel of every file of a file system that was open for writing and is closed; one that is mapped
/// counts as open until its last mapping has gone. When more came than the kernel keeps, or the volume was mounted
/// again, nothing is known.
/// </summary>
internal sealed unsafe class WriteWatch : IWriteWatch
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(100);

    private readonly SafeFileHandle _events;
    private readonly ulong _mount;
    private readonly Thread _listener;
    private readonly ManualResetEventSlim _ended = new();

    // Under the lock.
    private readonly Lock _lock = new();
    private readonly HashSet<ulong> _written = [];
    private bool _lost;

    private WriteWatch(SafeFileHandle events, ulong mount)
    {
        (_events, _mount) = (events, mount);
        _listener = new Thread(Listen) { IsBackground = true, Name = "write watch" };
        _listener.Start();
    }

    /// <summary>
    /// Begins to watch the file system on which a folder lies; null where the kernel does not let the agent.
    /// </summary>
    internal static WriteWatch? TryBegin(LinuxFolder root)
    {
        const uint closeOnExec = 1,
            nonBlocking = 2,
            add = 1,
            wholeFileSystem = 0x100;
        const ulong closedAfterWriting = 8;
        const uint largeFile = 0x8000,
            noAccessTime = 0x40000;
        var events = Native.WatchInit(closeOnExec | nonBlocking, Native.CloseOnExec | largeFile | noAccessTime);
        if (events < 0)
            return null;
        var handle = new SafeFileHandle(events, ownsHandle: true);
        if (Native.WatchMark(events, add | wholeFileSystem, closedAfterWriting, root.Descriptor, null) == 0)
            return new WriteWatch(handle, Native.TryStat(root.Descriptor, "", "the volume")!.Value.MountId);
        handle.Dispose();
        return null;
    }

    public IReadOnlySet<ulong>? Written(IVolume volume)
    {
        Drain();
        lock (_lock)
            return _lost || volume is not LinuxVolume { MountId: var mount } || mount != _mount
                ? null
                : new HashSet<ulong>(_written);
    }

    public void Dispose()
    {
        _ended.Set();
        _listener.Join();
        _events.Dispose();
        _ended.Dispose();
    }

    /// <summary>Each event holds a file open: it must not wait long.</summary>
    private void Listen()
    {
        while (!_ended.Wait(Pause))
            Drain();
    }

    private void Drain()
    {
        const int size = 65_536,
            again = 11,
            headBytes = 24,
            maskAt = 8,
            fileAt = 16;
        const ulong overflow = 0x4000;
        var buffer = (byte*)NativeMemory.Alloc(size);
        try
        {
            lock (_lock)
            {
                for (; ; )
                {
                    var read = Native.ReadPlain((int)_events.DangerousGetHandle(), buffer, size);
                    if (read < 0)
                    {
                        if (Marshal.GetLastPInvokeError() != again)
                            _lost = true;
                        return;
                    }
                    if (read == 0)
                        return;
                    for (var at = buffer; at + headBytes <= buffer + read; at += *(uint*)at)
                    {
                        if ((*(ulong*)(at + maskAt) & overflow) != 0)
                            _lost = true;
                        if (*(int*)(at + fileAt) is var file and >= 0)
                            Take(file);
                    }
                }
            }
        }
        finally
        {
            NativeMemory.Free(buffer);
        }
    }

    private void Take(int file)
    {
        using var handle = new SafeFileHandle(file, ownsHandle: true);
        if (Native.TryStat(file, "", "a file") is { } facts)
            _written.Add(facts.Inode);
        else
            _lost = true;
    }
}
