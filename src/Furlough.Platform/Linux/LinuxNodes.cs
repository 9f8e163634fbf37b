using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>What folder and file have in common: an open handle, rights, times and extended attributes through it.</summary>
internal abstract unsafe class LinuxNode(SafeFileHandle handle, string path, FileSystemAbilities abilities) : IDisposable
{
    private const long Omit = 0x3ffffffe;

    /// <summary>One file system shows the system its own form of access lists besides the common one.</summary>
    private const string OwnFormOfAccessLists = "trusted.SGI_ACL_";

    protected SafeFileHandle Handle => handle;

    protected string Path => path;

    protected FileSystemAbilities Abilities => abilities;

    internal int Descriptor => (int)handle.DangerousGetHandle();

    public void Dispose() => handle.Dispose();

    private NodeFacts? _known;

    public NodeFacts Known => _known ?? Facts();

    public NodeFacts Facts() => (_known = ToFacts(Native.TryStat(Descriptor, "", path)!.Value)).Value;

    public void Flush() => Native.Check(Native.Sync(Descriptor), path);

    public Attributes ReadAttributes()
    {
        if (!abilities.ExtendedAttributes) return Attributes.None;
        var names = stackalloc byte[4096];
        var length = Native.ListAttributes(Descriptor, names, 4096);
        if (length == 0) return Attributes.None;
        if (length > 0) return ReadValues(new ReadOnlySpan<byte>(names, (int)length));
        if (Marshal.GetLastPInvokeError() is 95 or 38) return Attributes.None;
        if (Marshal.GetLastPInvokeError() != 34) throw Native.Last(path);
        var large = new byte[65_536];
        fixed (byte* buffer = large)
        {
            length = Native.ListAttributes(Descriptor, buffer, large.Length);
            Native.Check(length, path);
        }
        return ReadValues(large.AsSpan(0, (int)length));
    }

    public void Apply(in NodeFacts facts, Attributes attributes)
    {
        if (abilities.Owners) Native.Check(Native.Chown(Descriptor, facts.Owner, facts.Group), path);
        if (abilities.ExtendedAttributes) ApplyAttributes(attributes);
        if (abilities.Owners) Native.Check(Native.Chmod(Descriptor, facts.Mode), path);
        var times = stackalloc Native.TimeSpec[2];
        SetTimes(times, facts.ModifiedNs);
        Native.Check(Native.Times(Descriptor, times), path);
    }

    /// <summary>It was made just now where nothing is inherited: it has no attributes yet.</summary>
    protected bool InheritsNothing { get; init; }

    /// <summary>The time of access stays, but on volumes that are not read past their cache: some file systems outside the kernel, which are among them, ignore a call that sets one time only.</summary>
    protected void SetTimes(Native.TimeSpec* times, long modifiedNs)
    {
        var seconds = Math.DivRem(modifiedNs, 1_000_000_000, out var nanoseconds);
        if (nanoseconds < 0) (seconds, nanoseconds) = (seconds - 1, nanoseconds + 1_000_000_000);
        times[1] = new Native.TimeSpec { Seconds = seconds, Nanoseconds = nanoseconds };
        times[0] = abilities.ReadsPastCache ? new Native.TimeSpec { Nanoseconds = Omit } : times[1];
    }

    internal static NodeFacts ToFacts(in Native.Statx s) => new(
        (s.Mode & 0xF000) switch { 0x8000 => NodeKind.File, 0x4000 => NodeKind.Folder, 0xA000 => NodeKind.Link, 0x1000 => NodeKind.Fifo, 0xC000 => NodeKind.Socket, _ => NodeKind.Device },
        s.Size, s.Blocks * 512, s.ModifiedSeconds * 1_000_000_000 + s.ModifiedNanoseconds, s.ChangedSeconds * 1_000_000_000 + s.ChangedNanoseconds,
        ((ulong)s.DeviceMajor << 32) | s.DeviceMinor, s.Inode, s.Links, (uint)(s.Mode & 0xFFF), s.Owner, s.Group);

    private void ApplyAttributes(Attributes attributes)
    {
        // A node may have inherited an access list from above; the source's own list is the whole truth.
        if (InheritsNothing && attributes.Values.Count == 0) return;
        foreach (var (name, _) in ReadAttributes().Values)
        {
            if (attributes.Values.Any(v => v.Key == name)) continue;
            fixed (byte* bytes = LinuxName.ToBytes(name)) Native.Check(Native.RemoveAttribute(Descriptor, bytes), path);
        }
        foreach (var (name, value) in attributes.Values)
        {
            fixed (byte* bytes = LinuxName.ToBytes(name))
            fixed (byte* content = value.Length == 0 ? [0] : value)
                Native.Check(Native.SetAttribute(Descriptor, bytes, content, value.Length, 0), path);
        }
    }

    private Attributes ReadValues(ReadOnlySpan<byte> names)
    {
        List<KeyValuePair<string, byte[]>> values = [];
        var buffer = new byte[65_536];
        while (names.Length > 0)
        {
            var end = names.IndexOf((byte)0);
            var name = LinuxName.FromBytes(names[..end]);
            names = names[(end + 1)..];
            if (name.StartsWith(OwnFormOfAccessLists, StringComparison.Ordinal)) continue;
            fixed (byte* bytes = LinuxName.ToBytes(name))
            fixed (byte* content = buffer)
            {
                var size = Native.GetAttribute(Descriptor, bytes, content, buffer.Length);
                if (size >= 0) values.Add(new(name, buffer[..(int)size]));
                else if (Marshal.GetLastPInvokeError() != 61) throw Native.Last(path);
            }
        }
        values.Sort((a, b) => string.CompareOrdinal(a.Key, b.Key));
        return new Attributes(values);
    }
}

/// <summary>An open folder; every name is used relative to its handle.</summary>
internal sealed unsafe class LinuxFolder(SafeFileHandle handle, string path, FileSystemAbilities abilities) : LinuxNode(handle, path, abilities), IFolder
{
    private volatile int _handsDown; // 0 not asked yet, 1 something, 2 nothing; several threads may ask at once

    public NodeFacts? Find(string name) => Native.TryStat(Descriptor, Plain(name), Below(name)) is { } s ? ToFacts(s) : null;

    public bool HasAttributes(string name)
    {
        if (!Abilities.ExtendedAttributes) return false;
        fixed (byte* path = LinuxName.ToBytes($"/proc/self/fd/{Descriptor}/{Plain(name)}")) return Native.ListAttributesAt(path, null, 0) > 0;
    }

    public IReadOnlyList<FolderEntry> List()
    {
        List<FolderEntry> entries = [];
        const int size = 65_536;
        var buffer = (byte*)NativeMemory.Alloc(size);
        try
        {
            Native.Check((nint)Native.Seek(Descriptor, 0, 0), Path);
            for (; ; )
            {
                var read = Native.GetDents(Descriptor, buffer, size);
                Native.Check(read, Path);
                if (read == 0) return entries;
                for (var at = 0; at < read;)
                {
                    var record = buffer + at;
                    at += *(ushort*)(record + 16);
                    var name = MemoryMarshal.CreateReadOnlySpanFromNullTerminated(record + 19);
                    if (name is [(byte)'.'] or [(byte)'.', (byte)'.']) continue;
                    var text = LinuxName.FromBytes(name);
                    entries.Add(new FolderEntry(text, record[18] switch { 8 => NodeKind.File, 4 => NodeKind.Folder, 10 => NodeKind.Link, 1 => NodeKind.Fifo, 12 => NodeKind.Socket, 0 => Find(text)?.Kind ?? NodeKind.File, _ => NodeKind.Device }));
                }
            }
        }
        finally
        {
            NativeMemory.Free(buffer);
        }
    }

    public IFolder OpenFolder(string name)
    {
        var below = name == "." ? Path : Below(name);
        var opened = OpenHandle(name, below);
        try
        {
            var (here, there) = (Native.TryStat(Descriptor, "", Path)!.Value, Native.TryStat((int)opened.DangerousGetHandle(), "", below)!.Value);
            if (here.MountId != there.MountId || (here.DeviceMajor, here.DeviceMinor) != (there.DeviceMajor, there.DeviceMinor))
                throw new IoFault(IoReason.OtherVolume, below, "another volume is mounted here");
            return new LinuxFolder(opened, below, Abilities);
        }
        catch
        {
            opened.Dispose();
            throw;
        }
    }

    private SafeFileHandle OpenHandle(string name, string below)
    {
        try
        {
            return Native.Open(Descriptor, name == "." ? name : Plain(name), Native.ReadOnly | Native.Folder | Native.NoFollow | Native.NonBlocking, below);
        }
        catch (IoFault no) when (no.Reason == IoReason.NotAFolder && Find(name)?.Kind == NodeKind.Link)
        {
            throw new IoFault(IoReason.BehindLink, below, "a link stands where a folder belongs");
        }
    }

    public IFolder MakeFolder(string name, uint mode)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name))) Native.Check(Native.MakeDirAt(Descriptor, bytes, mode), Below(name));
        return OpenFolder(name);
    }

    public IFileHandle OpenFile(string name, bool append = false)
    {
        var flags = (append ? Native.ReadWrite : Native.ReadOnly) | Native.NoFollow | Native.NonBlocking;
        var file = new LinuxFile(Native.Open(Descriptor, Plain(name), flags, Below(name)), Below(name), Abilities);
        if (file.Facts().Kind == NodeKind.File) return file;
        file.Dispose();
        throw new IoFault(IoReason.NotSupported, Below(name), "not a regular file");
    }

    public IFileHandle MakeFile(string name) =>
        new LinuxFile(Native.Open(Descriptor, Plain(name), Native.ReadWrite | Native.Create | Native.Exclusive | Native.NoFollow, Below(name)), Below(name), Abilities, HandsNothingDown());

    public string ReadLink(string name)
    {
        var buffer = stackalloc byte[4096];
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name)))
        {
            var length = Native.ReadLinkAt(Descriptor, bytes, buffer, 4096);
            Native.Check(length, Below(name));
            return LinuxName.FromBytes(new ReadOnlySpan<byte>(buffer, (int)length));
        }
    }

    public void MakeLink(string name, string target)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name)))
        fixed (byte* text = LinuxName.ToBytes(target)) Native.Check(Native.SymlinkAt(text, Descriptor, bytes), Below(name));
    }

    public void MakeHardLink(string name, IFolder folder, string existing)
    {
        fixed (byte* from = LinuxName.ToBytes(Plain(existing)))
        fixed (byte* to = LinuxName.ToBytes(Plain(name))) Native.Check(Native.LinkAt(((LinuxFolder)folder).Descriptor, from, Descriptor, to, 0), Below(name));
    }

    public void MakeFifo(string name)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name))) Native.Check(Native.MakeFifoAt(Descriptor, bytes, 0x180), Below(name));
    }

    public void Move(string name, IFolder to, string newName) => Rename(name, (LinuxFolder)to, newName, Native.NoReplace);

    /// <summary>Exchanges two entries of this folder atomically.</summary>
    internal void Exchange(string one, string other) => Rename(one, this, other, Native.Exchange);

    public void RemoveFile(string name) => Unlink(name, 0);

    public void RemoveFolder(string name) => Unlink(name, Native.RemoveFolder);

    public void ApplyTo(string name, in NodeFacts facts)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name)))
        {
            if (Abilities.Owners) Native.Check(Native.ChownAt(Descriptor, bytes, facts.Owner, facts.Group, Native.NoFollowAt), Below(name));
            if (Abilities.Owners && facts.Kind != NodeKind.Link) Native.Check(Native.ChmodAt(Descriptor, bytes, facts.Mode, 0), Below(name));
            var times = stackalloc Native.TimeSpec[2];
            SetTimes(times, facts.ModifiedNs);
            Native.Check(Native.TimesAt(Descriptor, bytes, times, Native.NoFollowAt), Below(name));
        }
    }

    /// <summary>Whether files made here inherit no attributes: asked once, before this handle sets any itself.</summary>
    private bool HandsNothingDown()
    {
        if (_handsDown == 0) _handsDown = ReadAttributes().Values.Count == 0 ? 2 : 1;
        return _handsDown == 2;
    }

    private void Rename(string name, LinuxFolder to, string newName, uint flags)
    {
        fixed (byte* from = LinuxName.ToBytes(Plain(name)))
        fixed (byte* there = LinuxName.ToBytes(Plain(newName)))
        {
            if (Native.RenameAt(Descriptor, from, to.Descriptor, there, flags) == 0) return;
            var why = Native.Last(Below(name));
            // File systems outside the kernel know only the plain rename. There, asking first is all there is; a folder still never replaces one that is not empty.
            if (why.Reason != IoReason.NotSupported || flags != Native.NoReplace) throw why;
            if (to.Find(newName) is not null) throw new IoFault(IoReason.Exists, to.Below(newName), "it exists already");
            Native.Check(Native.RenameAt(Descriptor, from, to.Descriptor, there, 0), Below(name));
        }
    }

    private void Unlink(string name, int flags)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name))) Native.Check(Native.UnlinkAt(Descriptor, bytes, flags), Below(name));
    }

    private string Below(string name) => Path.Length == 0 ? name : Path + "/" + name;

    private static string Plain(string name) =>
        name.Length > 0 && name is not ("." or "..") && !name.Contains('/') && !name.Contains('\0') ? name : throw new IoFault(IoReason.NotSupported, name, "not a plain name");
}

/// <summary>An open file.</summary>
internal sealed unsafe class LinuxFile : LinuxNode, IFileHandle
{
    private const int ChunkBytes = 1 << 20;
    private const int PageBytes = 4096;
    private const long LargeBytes = 16 << 20;

    [ThreadStatic] private static byte* t_buffer;
    [ThreadStatic] private static ContentDigest? t_digest;

    internal LinuxFile(SafeFileHandle handle, string path, FileSystemAbilities abilities, bool inheritsNothing = false) : base(handle, path, abilities) => InheritsNothing = inheritsNothing;

    public UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop)
    {
        var (to, facts, digest) = ((LinuxFile)target, Known, t_digest ??= new ContentDigest());
        var buffer = Buffer();
        var sparse = facts.AllocatedBytes < facts.SizeBytes;
        long offset = 0, counted = 0;
        var large = !sparse && facts.SizeBytes >= LargeBytes && to.PassCache(true);
        while (true)
        {
            stop.ThrowIfCancellationRequested();
            if (sparse && !SkipHole(ref offset)) break;
            var read = ReadWhole(buffer, offset, facts.SizeBytes);
            if (read == 0) break;
            digest.Add(offset, new ReadOnlySpan<byte>(buffer, read));
            if (sparse) to.WriteData(buffer, read, offset);
            else
            {
                if (large && read < ChunkBytes) to.PassCache(large = false);
                to.WriteAll(buffer, read, offset);
            }
            counter.Skip(offset - counted);
            offset += read;
            counter.Add(read);
            counted = offset;
            if (read < ChunkBytes) break;
        }
        var length = sparse ? facts.SizeBytes : offset;
        if (sparse) Native.Check(Native.Truncate(to.Descriptor, length), to.Path);
        counter.Skip(length - counted);
        return digest.Finish(length);
    }

    public ReadBack ReadBack(ByteCounter counter, CancellationToken stop)
    {
        var (facts, digest) = (Known, t_digest ??= new ContentDigest());
        var buffer = Buffer();
        var sparse = facts.AllocatedBytes < facts.SizeBytes;
        const int setFlags = 4, dontNeed = 4;
        if (Native.Control(Descriptor, setFlags, Native.Direct | Native.NonBlocking) != 0) _ = Native.Advise(Descriptor, 0, 0, dontNeed);
        long offset = 0, counted = 0;
        while (offset < facts.SizeBytes)
        {
            stop.ThrowIfCancellationRequested();
            if (sparse && !SkipHole(ref offset)) break;
            var read = ReadWhole(buffer, offset, facts.SizeBytes);
            if (read == 0) break;
            digest.Add(offset, new ReadOnlySpan<byte>(buffer, read));
            counter.Skip(offset - counted);
            offset += read;
            counter.Add(read);
            counted = offset;
        }
        counter.Skip(facts.SizeBytes - counted);
        return new ReadBack(digest.Finish(facts.SizeBytes), facts.SizeBytes, Abilities.ReadsPastCache);
    }

    public Stream Read() => new FileStream(new SafeFileHandle(Duplicate(), ownsHandle: true), FileAccess.Read, 1 << 16);

    public void Append(ReadOnlySpan<byte> bytes)
    {
        fixed (byte* content = bytes) WriteAll(content, bytes.Length, Facts().SizeBytes);
    }

    /// <summary>The whole content of a small file.</summary>
    internal byte[] ReadAll(int limitBytes)
    {
        var size = Facts().SizeBytes;
        if (size > limitBytes) throw new IoFault(IoReason.Other, Path, $"larger than {limitBytes} bytes");
        var content = new byte[size];
        fixed (byte* buffer = content)
        {
            for (var at = 0; at < size;)
            {
                var read = Native.Read(Descriptor, buffer + at, (nint)(size - at), at);
                Native.Check(read, Path);
                if (read == 0) return content[..at];
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
    /// Reads a chunk as full as the file is, so that blocks of the digest stand where they belong. Asks for no more than there is, in whole
    /// pages: past its end a direct read would fill the rest of the buffer with zeros, which takes longer than reading a small file.
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
            if (read == 0 || offset + got >= size || read % PageBytes != 0) break;
        }
        return got;
    }

    /// <summary>Goes on to the block in which the next data begins; false when only a hole follows. Where the volume does not know its holes, all is data.</summary>
    private bool SkipHole(ref long offset)
    {
        const int noMore = 6, notKnown = 22;
        var data = Native.Seek(Descriptor, offset, Native.SeekData);
        if (data < 0)
        {
            return Marshal.GetLastPInvokeError() switch { noMore => false, notKnown => true, _ => throw Native.Last(Path) };
        }
        offset = Math.Max(offset, data / ContentDigest.BlockBytes * ContentDigest.BlockBytes);
        return true;
    }

    /// <summary>Has writes go past the cache, or not: a large file would only push other things out of it. False where the volume cannot.</summary>
    private bool PassCache(bool pass)
    {
        const int setFlags = 4;
        return Native.Control(Descriptor, setFlags, pass ? Native.Direct : 0) == 0 && pass;
    }

    private void WriteAll(byte* content, int length, long offset)
    {
        for (var at = 0; at < length;)
        {
            var written = Native.Write(Descriptor, content + at, length - at, offset + at);
            Native.Check(written, Path);
            at += (int)written;
        }
    }

    /// <summary>Writes what is not zero, page by page, so that holes stay holes.</summary>
    private void WriteData(byte* content, int length, long offset)
    {
        for (var at = 0; at < length;)
        {
            var end = at;
            while (end < length && new ReadOnlySpan<byte>(content + end, Math.Min(PageBytes, length - end)).ContainsAnyExcept((byte)0)) end = Math.Min(end + PageBytes, length);
            if (end > at) WriteAll(content + at, end - at, offset + at);
            at = Math.Max(end, at + PageBytes - at % PageBytes);
        }
    }

    private static byte* Buffer()
    {
        if (t_buffer is null) t_buffer = (byte*)NativeMemory.AlignedAlloc(ChunkBytes, PageBytes);
        return t_buffer;
    }
}
