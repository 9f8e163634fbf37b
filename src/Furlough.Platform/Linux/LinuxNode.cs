using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>
/// What folder and file have in common: an open handle, rights, times and extended attributes through it.
/// </summary>
internal abstract unsafe class LinuxNode(SafeFileHandle handle, string path, FileSystemAbilities abilities)
    : IDisposable
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
        if (!abilities.ExtendedAttributes)
            return Attributes.None;
        var names = stackalloc byte[4096];
        var length = Native.ListAttributes(Descriptor, names, 4096);
        if (length == 0)
            return Attributes.None;
        if (length > 0)
            return ReadValues(new ReadOnlySpan<byte>(names, (int)length));
        if (Marshal.GetLastPInvokeError() is 95 or 38)
            return Attributes.None;
        if (Marshal.GetLastPInvokeError() != 34)
            throw Native.Last(path);
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
        if (abilities.Owners)
            Native.Check(Native.Chown(Descriptor, facts.Owner, facts.Group), path);
        if (abilities.ExtendedAttributes)
            ApplyAttributes(attributes);
        if (abilities.Owners)
            Native.Check(Native.Chmod(Descriptor, facts.Mode), path);
        var times = stackalloc Native.TimeSpec[2];
        SetTimes(times, facts.ModifiedNs);
        Native.Check(Native.Times(Descriptor, times), path);
    }

    /// <summary>It was made just now where nothing is inherited: it has no attributes yet.</summary>
    protected bool InheritsNothing { get; init; }

    /// <summary>
    /// The time of access stays, but on volumes that are not read past their cache: some file systems outside the
    /// kernel, which are among them, ignore a call that sets one time only.
    /// </summary>
    protected void SetTimes(Native.TimeSpec* times, long modifiedNs)
    {
        var seconds = Math.DivRem(modifiedNs, 1_000_000_000, out var nanoseconds);
        if (nanoseconds < 0)
            (seconds, nanoseconds) = (seconds - 1, nanoseconds + 1_000_000_000);
        times[1] = new Native.TimeSpec { Seconds = seconds, Nanoseconds = nanoseconds };
        times[0] = abilities.ReadsPastCache ? new Native.TimeSpec { Nanoseconds = Omit } : times[1];
    }

    internal static NodeFacts ToFacts(in Native.Statx s) =>
        new(
            (s.Mode & 0xF000) switch
            {
                0x8000 => NodeKind.File,
                0x4000 => NodeKind.Folder,
                0xA000 => NodeKind.Link,
                0x1000 => NodeKind.Fifo,
                0xC000 => NodeKind.Socket,
                _ => NodeKind.Device,
            },
            s.Size,
            s.Blocks * 512,
            Nanoseconds(s.ModifiedSeconds, s.ModifiedNanoseconds),
            Nanoseconds(s.ChangedSeconds, s.ChangedNanoseconds),
            ((ulong)s.DeviceMajor << 32) | s.DeviceMinor,
            s.Inode,
            s.Links,
            (uint)(s.Mode & 0xFFF),
            s.Owner,
            s.Group
        )
        {
            Marks = MarksOf(s.Attributes),
        };

    private static NodeMarks MarksOf(ulong attributes)
    {
        const ulong immutable = 0x10,
            appendOnly = 0x20,
            encrypted = 0x800;
        return ((attributes & (immutable | appendOnly)) != 0 ? NodeMarks.Unchangeable : 0)
            | ((attributes & encrypted) != 0 ? NodeMarks.Encrypted : 0);
    }

    /// <summary>
    /// Since 1970; times that this cannot hold are the largest or smallest there is, so that they are recognised.
    /// </summary>
    private static long Nanoseconds(long seconds, uint nanoseconds)
    {
        const long second = 1_000_000_000,
            most = long.MaxValue / second - 1;
        return seconds > most ? long.MaxValue
            : seconds < -most ? long.MinValue
            : seconds * second + nanoseconds;
    }

    private void ApplyAttributes(Attributes attributes)
    {
        // A node may have inherited an access list from above; the source's own list is the whole truth.
        if (InheritsNothing && attributes.Values.Count == 0)
            return;
        foreach (var (name, _) in ReadAttributes().Values)
        {
            if (attributes.Values.Any(v => v.Key == name))
                continue;
            fixed (byte* bytes = LinuxName.ToBytes(name))
                Native.Check(Native.RemoveAttribute(Descriptor, bytes), path);
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
            if (name.StartsWith(OwnFormOfAccessLists, StringComparison.Ordinal))
                continue;
            fixed (byte* bytes = LinuxName.ToBytes(name))
            fixed (byte* content = buffer)
            {
                var size = Native.GetAttribute(Descriptor, bytes, content, buffer.Length);
                if (size >= 0)
                    values.Add(new(name, buffer[..(int)size]));
                else if (Marshal.GetLastPInvokeError() != 61)
                    throw Native.Last(path);
            }
        }
        values.Sort((a, b) => string.CompareOrdinal(a.Key, b.Key));
        return new Attributes(values);
    }
}
