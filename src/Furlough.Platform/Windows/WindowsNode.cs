using System.Buffers.Binary;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Windows;

/// <summary>
/// What folder and file have in common: an open handle, and through it times, file attributes and the security
/// descriptor.
/// </summary>
internal abstract unsafe class WindowsNode(SafeFileHandle handle, string path, WindowsAbilities abilities) : IDisposable
{
    private const string Security = "security",
        Bits = "bits",
        Created = "created";

    /// <summary>
    /// Owner, group and access list: what decides who can do what. Not the list of what is audited, which wants further
    /// rights.
    /// </summary>
    private const uint Parts = 1 | 2 | 4,
        ProtectedList = 0x80000000,
        UnprotectedList = 0x20000000;
    private const uint KeptBits =
        Native.IsReadOnly | Native.IsHidden | Native.IsSystem | Native.IsArchive | Native.IsNotIndexed;
    private const int BasicInformation = 4,
        AllInformation = 18,
        TagInformation = 35;
    private const long UnixEpochTicks = 116_444_736_000_000_000;

    private NodeFacts? _known;

    protected SafeFileHandle Handle => handle;

    protected string Path => path;

    protected WindowsAbilities Abilities => abilities;

    internal nint Raw => handle.DangerousGetHandle();

    public NodeFacts Known => _known ?? Facts();

    public void Dispose() => handle.Dispose();

    public NodeFacts Facts() => (_known = FactsOf(Raw, abilities.Serial, path)).Value;

    public virtual void Flush()
    {
        Native.Status status;
        var code = Native.NtFlushBuffersFile(Raw, &status);
        // A folder may have nothing to flush: its entries are the volume's journal.
        if (
            code
                is Native.InvalidRequest
                    or Native.NotImplemented
                    or Native.AccessDenied
                    or Native.NotSupported
                    or Native.InvalidHandle
            && this is IFolder
        )
            return;
        Native.Check(code, path);
    }

    public Attributes ReadAttributes()
    {
        var basic = ReadBasic();
        List<KeyValuePair<string, byte[]>> values = [new(Bits, Number(basic.Attributes & KeptBits))];
        if (abilities.KeepsCreation)
            values.Add(new(Created, Number(basic.Created)));
        if (abilities.File.Owners)
            values.Add(new(Security, ReadSecurity()));
        return new Attributes(values);
    }

    /// <summary>
    /// Owner, group and mode are those of other systems: here the security descriptor among the attributes says the
    /// same.
    /// </summary>
    public void Apply(in NodeFacts facts, Attributes attributes)
    {
        foreach (var (name, value) in attributes.Values)
            if (name == Security && abilities.File.Owners)
                WriteSecurity(value);
        var basic = new Native.Basic { Written = TicksOf(facts.ModifiedNs) };
        foreach (var (name, value) in attributes.Values)
        {
            if (name == Created && abilities.KeepsCreation)
                basic.Created = BinaryPrimitives.ReadInt64LittleEndian(value);
            if (name == Bits)
                basic.Attributes = (uint)BinaryPrimitives.ReadInt64LittleEndian(value) is var bits and not 0
                    ? bits
                    : Native.IsOrdinary;
        }
        Native.Status status;
        Native.Check(
            Native.NtSetInformationFile(Raw, &status, &basic, (uint)sizeof(Native.Basic), BasicInformation),
            path
        );
    }

    /// <summary>
    /// Closes the node to everybody but the system, administrators and, where one is given, an account.
    /// </summary>
    internal void Close(string? sid)
    {
        if (!abilities.File.Owners)
            return;
        var own = sid is null ? "" : $"(A;OICI;FA;;;{sid})";
        nint descriptor;
        if (
            !Native.ConvertStringSecurityDescriptorToSecurityDescriptorW(
                $"{(sid is null ? "" : $"O:{sid}")}D:P(A;OICI;FA;;;SY)(A;OICI;FA;;;BA){own}",
                1,
                &descriptor,
                null
            )
        )
            return;
        try
        {
            var code = Native.NtSetSecurityObject(Raw, (sid is null ? 0u : 1u) | 4 | ProtectedList, (void*)descriptor);
            Native.Check(code, path);
        }
        finally
        {
            _ = Native.LocalFree(descriptor);
        }
    }

    internal static NodeFacts FactsOf(nint handle, ulong serial, string path)
    {
        Native.All all;
        Native.Status status;
        Native.Check(
            Native.NtQueryInformationFile(handle, &status, &all, (uint)sizeof(Native.All), AllInformation),
            path
        );
        // The root of a volume may be marked as what is mounted there.
        var tag = path.Length > 0 && (all.Basic.Attributes & Native.IsLink) != 0 ? TagOf(handle) : 0;
        var kind =
            LinkRecord.IsLink(tag) ? NodeKind.Link
            : (all.Basic.Attributes & Native.IsFolder) != 0 ? NodeKind.Folder
            : NodeKind.File;
        return new NodeFacts(
            kind,
            kind == NodeKind.File ? all.SizeBytes : 0,
            kind == NodeKind.File ? Math.Max(all.AllocatedBytes, all.SizeBytes) : 0,
            Nanoseconds(all.Basic.Written),
            Nanoseconds(all.Basic.Changed),
            serial,
            (ulong)all.Index,
            kind == NodeKind.File ? all.Links : 1,
            0,
            0,
            0
        )
        {
            Marks = FileMarks.Of(path.Length > 0 ? all.Basic.Attributes : 0, tag),
        };
    }

    /// <summary>
    /// What a node that is marked for the system's filters is marked with; a mark that cannot be read is none that is
    /// known.
    /// </summary>
    private static uint TagOf(nint handle)
    {
        var tag = stackalloc uint[2];
        Native.Status status;
        return Native.NtQueryInformationFile(handle, &status, tag, 8, TagInformation) == 0 ? tag[1] : uint.MaxValue;
    }

    private Native.Basic ReadBasic()
    {
        Native.Basic basic;
        Native.Status status;
        Native.Check(
            Native.NtQueryInformationFile(Raw, &status, &basic, (uint)sizeof(Native.Basic), BasicInformation),
            path
        );
        return basic;
    }

    private byte[] ReadSecurity()
    {
        var buffer = new byte[1024];
        for (; ; )
        {
            uint needed;
            uint code;
            fixed (byte* at = buffer)
                code = Native.NtQuerySecurityObject(Raw, Parts, at, (uint)buffer.Length, &needed);
            if (code == Native.BufferTooSmall)
            {
                buffer = new byte[needed];
                continue;
            }
            Native.Check(code, path);
            return buffer[..(int)needed];
        }
    }

    private void WriteSecurity(byte[] descriptor)
    {
        const int controlAt = 2,
            isProtected = 0x1000;
        var keeps = (BinaryPrimitives.ReadUInt16LittleEndian(descriptor.AsSpan(controlAt)) & isProtected) != 0;
        fixed (byte* at = descriptor)
            Native.Check(Native.NtSetSecurityObject(Raw, Parts | (keeps ? ProtectedList : UnprotectedList), at), path);
    }

    private static byte[] Number(long value)
    {
        var bytes = new byte[sizeof(long)];
        BinaryPrimitives.WriteInt64LittleEndian(bytes, value);
        return bytes;
    }

    /// <summary>Whether an open node is marked as a folder, links included.</summary>
    protected static bool IsMarkedFolder(nint handle)
    {
        Native.Basic basic;
        Native.Status status;
        return Native.NtQueryInformationFile(handle, &status, &basic, (uint)sizeof(Native.Basic), BasicInformation) == 0
            && (basic.Attributes & Native.IsFolder) != 0;
    }

    protected static long TicksOf(long nanoseconds) => nanoseconds / 100 + UnixEpochTicks;

    private static long Nanoseconds(long ticks) => (ticks - UnixEpochTicks) * 100;
}

/// <summary>What a volume can keep, and how it is known.</summary>
/// <param name="Serial">Its serial number.</param>
/// <param name="KeepsCreation">It keeps the time of making.</param>
internal sealed record WindowsAbilities(FileSystemAbilities File, ulong Serial, bool KeepsCreation);
