using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>An open file.</summary>
internal sealed unsafe class LinuxFile : LinuxNode, IFileHandle
{
    private const int ChunkBytes = 1 << 20;
    private const int PageBytes = 4096;
    private const long LargeBytes = 16 << 20;

    /// <summary>Goes with its thread: crews come and go with every tree.</summary>
    [ThreadStatic]
    private static byte[]? t_buffer;

    [ThreadStatic]
    private static ContentDigest? t_digest;

    internal LinuxFile(SafeFileHandle handle, string path, FileSystemAbilities abilities, bool inheritsNothing = false)
        : base(handle, path, abilities) => InheritsNothing = inheritsNothing;

    public UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop)
    {
        var (to, facts, digest) = ((LinuxFile)target, Known, t_digest ??= new ContentDigest());
        var buffer = Buffer();
        var sparse = facts.AllocatedBytes < facts.SizeBytes;
        // Its whole length first: some file systems put space in store behind a file that grows, and would fill the
        // holes with it.
        if (sparse)
            Native.Check(Native.Truncate(to.Descriptor, facts.SizeBytes), to.Path);
        long offset = 0,
            counted = 0;
        var large = !sparse && facts.SizeBytes >= LargeBytes && to.PassCache(true);
        while (true)
        {
            stop.ThrowIfCancellationRequested();
            if (sparse && !SkipHole(ref offset))
                break;
            var read = ReadWhole(buffer, offset, facts.SizeBytes);
            if (read == 0)
                break;
            digest.Add(offset, new ReadOnlySpan<byte>(buffer, read));
            if (sparse)
                to.WriteData(buffer, read, offset);
            else
            {
                if (large && read < ChunkBytes)
                    to.PassCache(large = false);
                to.WriteAll(buffer, read, offset);
            }
            counter.Skip(offset - counted);
            offset += read;
            counter.Add(read);
            counted = offset;
            if (read < ChunkBytes)
                break;
        }
        var length = sparse ? facts.SizeBytes : offset;
        counter.Skip(length - counted);
        return digest.Finish(length);
    }

    public ReadBack ReadBack(ByteCounter counter, CancellationToken stop)
    {
        const int setFlags = 4,
            dontNeed = 4;
        if (Native.Control(Descriptor, setFlags, Native.Direct | Native.NonBlocking) != 0)
            _ = Native.Advise(Descriptor, 0, 0, dontNeed);
        return new ReadBack(Digest(Known, counter, stop), Known.SizeBytes, Abilities.ReadsPastCache);
    }

    public UInt128 Digest(ByteCounter counter, CancellationToken stop) => Digest(Facts(), counter, stop);

    private UInt128 Digest(in NodeFacts facts, ByteCounter counter, CancellationToken stop)
    {
        var digest = t_digest ??= new ContentDigest();
        var buffer = Buffer();
        var sparse = facts.AllocatedBytes < facts.SizeBytes;
        long offset = 0,
            counted = 0;
        while (offset < facts.SizeBytes)
        {
            stop.ThrowIfCancellationRequested();
            if (sparse && !SkipHole(ref offset))
                break;
            var read = ReadWhole(buffer, offset, facts.SizeBytes);
            if (read == 0)
                break;
            digest.Add(offset, new ReadOnlySpan<byte>(buffer, read));
            counter.Skip(offset - counted);
            offset += read;
            counter.Add(read);
            counted = offset;
        }
        counter.Skip(facts.SizeBytes - counted);
        return digest.Finish(facts.SizeBytes);
    }

    public Stream Read() => new FileStream(new SafeFileHandle(Duplicate(), ownsHandle: true), FileAccess.Read, 1 << 16);

    public void Append(ReadOnlySpan<byte> bytes)
    {
        fixed (byte* content = bytes)
            WriteAll(content, bytes.Length, Facts().SizeBytes);
    }

    /// <summary>The whole content of a small file.</summary>
    internal byte[] ReadAll(int limitBytes)
    {
        var size = Facts().SizeBytes;
        if (size > limitBytes)
            throw new IoFault(IoReason.Other, Path, $"larger than {limitBytes} bytes");
        var content = new byte[size];
        fixed (byte* buffer = content)
        {
            for (var at = 0; at < size; )
            {
                var read = Native.Read(Descriptor, buffer + at, (nint)(size - at), at);
                Native.Check(read, Path);
                if (read == 0)
                    return content[..at];
                at += (int)read;
            }
        }
        return content;
    }

    private int Duplicate()
    {
        const int duplicateCloseOnExec = 1030;
        var copy = Native.Control(Descriptor, duplicateCloseOnExec, 0);
        Native.Check(copy, Path);
        Native.Check((nint)Native.Seek(copy, 0, 0), Path);
        return copy;
    }

    /// <summary>
    /// Reads a chunk as full as the file is, so that blocks of the digest stand where they belong. Asks for no more
    /// than there is, in whole pages: past its end a direct read would fill the rest of the buffer with zeros, which
    /// takes longer than reading a small file.
    /// </summary>
    private int ReadWhole(byte* buffer, long offset, long size)
    {
        var want = (int)Math.Min(ChunkBytes, (size - offset + PageBytes - 1) / PageBytes * PageBytes);
        var got = 0;
        while (got < want)
        {
            var read = Native.Read(Descriptor, buffer + got, want - got, offset + got);
            Native.Check(read, Path);
            got += (int)read;
            if (read == 0 || offset + got >= size || read % PageBytes != 0)
                break;
        }
        return got;
    }

    /// <summary>
    /// Goes on to the block in which the next data begins; false when only a hole follows. Where the volume does not
    /// know its holes, all is data.
    /// </summary>
    private bool SkipHole(ref long offset)
    {
        const int noMore = 6,
            notKnown = 22;
        var data = Native.Seek(Descriptor, offset, Native.SeekData);
        if (data < 0)
        {
            return Marshal.GetLastPInvokeError() switch
            {
                noMore => false,
                notKnown => true,
                _ => throw Native.Last(Path),
            };
        }
        offset = Math.Max(offset, data / ContentDigest.BlockBytes * ContentDigest.BlockBytes);
        return true;
    }

    /// <summary>
    /// Has writes go past the cache, or not: a large file would only push other things out of it. False where the
    /// volume cannot.
    /// </summary>
    private bool PassCache(bool pass)
    {
        const int setFlags = 4;
        return Native.Control(Descriptor, setFlags, pass ? Native.Direct : 0) == 0 && pass;
    }

    private void WriteAll(byte* content, int length, long offset)
    {
        for (var at = 0; at < length; )
        {
            var written = Native.Write(Descriptor, content + at, length - at, offset + at);
            Native.Check(written, Path);
            at += (int)written;
        }
    }

    /// <summary>Writes what is not zero, page by page, so that holes stay holes.</summary>
    private void WriteData(byte* content, int length, long offset)
    {
        for (var at = 0; at < length; )
        {
            var end = at;
            while (
                end < length
                && new ReadOnlySpan<byte>(content + end, Math.Min(PageBytes, length - end)).ContainsAnyExcept((byte)0)
            )
                end = Math.Min(end + PageBytes, length);
            if (end > at)
                WriteAll(content + at, end - at, offset + at);
            at = Math.Max(end, at + PageBytes - at % PageBytes);
        }
    }

    private static byte* Buffer()
    {
        // Pinned, so that its address stays; a page longer, so that whole pages fit wherever it begins.
        t_buffer ??= GC.AllocateUninitializedArray<byte>(ChunkBytes + PageBytes, pinned: true);
        var begins = (nuint)Unsafe.AsPointer(ref MemoryMarshal.GetArrayDataReference(t_buffer));
        return (byte*)((begins + PageBytes - 1) / PageBytes * PageBytes);
    }
}
