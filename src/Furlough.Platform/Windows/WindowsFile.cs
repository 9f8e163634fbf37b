using Furlough.Engine;
using Furlough.Engine.Ports;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Windows;

/// <summary>An open file.</summary>
internal sealed class WindowsFile(SafeFileHandle handle, string path, WindowsAbilities abilities)
    : WindowsNode(handle, path, abilities),
        IFileHandle
{
    private const int ChunkBytes = 1 << 20;

    [ThreadStatic]
    private static byte[]? t_buffer;

    [ThreadStatic]
    private static ContentDigest? t_digest;

    public UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop)
    {
        var to = (WindowsFile)target;
        var (length, digest) = Pass(
            Handle,
            (chunk, offset) => RandomAccess.Write(to.Handle, chunk, offset),
            counter,
            stop
        );
        to.Flush();
        return digest.Finish(length);
    }

    public ReadBack ReadBack(ByteCounter counter, CancellationToken stop)
    {
        const uint genericRead = 0x80000000,
            noBuffering = 0x20000000;
        using var uncached = Native.ReOpenFile(
            Raw,
            genericRead,
            Native.ShareAll,
            Abilities.File.ReadsPastCache ? noBuffering : 0
        );
        var (length, digest) = Pass(uncached.IsInvalid ? Handle : uncached, null, counter, stop);
        return new ReadBack(digest.Finish(length), length, Abilities.File.ReadsPastCache && !uncached.IsInvalid);
    }

    public Stream Read() =>
        new FileStream(new SafeFileHandle(Duplicate(), ownsHandle: true), FileAccess.Read, 1 << 16) { Position = 0 };

    public void Append(ReadOnlySpan<byte> bytes)
    {
        try
        {
            RandomAccess.Write(Handle, bytes, Facts().SizeBytes);
        }
        catch (IOException error)
        {
            throw Native.Fault(error, Path);
        }
    }

    private nint Duplicate()
    {
        const uint genericRead = 0x80000000;
        var again = Native.ReOpenFile(Raw, genericRead, Native.ShareAll, 0);
        if (again.IsInvalid)
            throw new IoFault(IoReason.Other, Path, "it cannot be opened once more");
        var raw = again.DangerousGetHandle();
        again.SetHandleAsInvalid();
        return raw;
    }

    private delegate void Sink(ReadOnlySpan<byte> chunk, long offset);

    /// <summary>Passes the content in whole chunks, so that blocks of the digest stand where they belong.</summary>
    private (long Length, ContentDigest Digest) Pass(
        SafeFileHandle from,
        Sink? sink,
        ByteCounter counter,
        CancellationToken stop
    )
    {
        var digest = t_digest ??= new ContentDigest();
        var buffer = t_buffer ??= GC.AllocateUninitializedArray<byte>(ChunkBytes, pinned: true);
        long offset = 0;
        try
        {
            for (; ; )
            {
                stop.ThrowIfCancellationRequested();
                var got = 0;
                while (
                    got < ChunkBytes && RandomAccess.Read(from, buffer.AsSpan(got), offset + got) is var read and > 0
                )
                    got += read;
                if (got == 0)
                    return (offset, digest);
                digest.Add(offset, buffer.AsSpan(0, got));
                sink?.Invoke(buffer.AsSpan(0, got), offset);
                offset += got;
                counter.Add(got);
                if (got < ChunkBytes)
                    return (offset, digest);
            }
        }
        catch (IOException error)
        {
            throw Native.Fault(error, Path);
        }
    }
}
