using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Linux;

/// <summary>An open folder; every name is used relative to its handle.</summary>
internal sealed unsafe class LinuxFolder(SafeFileHandle handle, string path, FileSystemAbilities abilities)
    : LinuxNode(handle, path, abilities),
        IFolder
{
    private volatile int _handsDown; // 0 not asked yet, 1 something, 2 nothing; several threads may ask at once

    public NodeFacts? Find(string name) =>
        Native.TryStat(Descriptor, Plain(name), Below(name)) is { } s ? ToFacts(s) : null;

    public bool HasAttributes(string name)
    {
        if (!Abilities.ExtendedAttributes)
            return false;
        fixed (byte* path = LinuxName.ToBytes($"/proc/self/fd/{Descriptor}/{Plain(name)}"))
            return Native.ListAttributesAt(path, null, 0) > 0;
    }

    /// <summary>A label that the system gives to everything is given again.</summary>
    public bool HasMoreThanIsCopied(string name, NodeKind kind)
    {
        const int size = 256;
        if (kind is not (NodeKind.Link or NodeKind.Fifo) || !Abilities.ExtendedAttributes)
            return false;
        var names = stackalloc byte[size];
        nint bytes;
        fixed (byte* path = LinuxName.ToBytes($"/proc/self/fd/{Descriptor}/{Plain(name)}"))
            bytes = Native.ListAttributesAt(path, names, size);
        return bytes > 0 && !new ReadOnlySpan<byte>(names, (int)bytes).SequenceEqual("security.selinux\0"u8);
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
                if (read == 0)
                    return entries;
                for (var at = 0; at < read; )
                {
                    var record = buffer + at;
                    at += *(ushort*)(record + 16);
                    var name = MemoryMarshal.CreateReadOnlySpanFromNullTerminated(record + 19);
                    if (name is [(byte)'.'] or [(byte)'.', (byte)'.'])
                        continue;
                    var text = LinuxName.FromBytes(name);
                    entries.Add(
                        new FolderEntry(
                            text,
                            record[18] switch
                            {
                                8 => NodeKind.File,
                                4 => NodeKind.Folder,
                                10 => NodeKind.Link,
                                1 => NodeKind.Fifo,
                                12 => NodeKind.Socket,
                                0 => Find(text)?.Kind ?? NodeKind.File,
                                _ => NodeKind.Device,
                            }
                        )
                    );
                }
            }
        }
        finally
        {
            NativeMemory.Free(buffer);
        }
    }

    public IFolder OpenFolder(string name) => OpenFolder(name, mayLeavePart: false);

    public IFolder OpenSubvolume(string name) => OpenFolder(name, mayLeavePart: true);

    private LinuxFolder OpenFolder(string name, bool mayLeavePart)
    {
        var below = name == "." ? Path : Below(name);
        var opened = OpenHandle(name, below);
        try
        {
            var (here, there) = (
                Native.TryStat(Descriptor, "", Path)!.Value,
                Native.TryStat((int)opened.DangerousGetHandle(), "", below)!.Value
            );
            if (here.MountId != there.MountId)
                throw new IoFault(IoReason.OtherVolume, below, "another volume is mounted here");
            if (!mayLeavePart && (here.DeviceMajor, here.DeviceMinor) != (there.DeviceMajor, there.DeviceMinor))
                throw new IoFault(IoReason.OtherVolume, below, "a subvolume of its own begins here");
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
            return Native.Open(
                Descriptor,
                name == "." ? name : Plain(name),
                Native.ReadOnly | Native.Folder | Native.NoFollow | Native.NonBlocking,
                below
            );
        }
        catch (IoFault no)
            when (no.Reason is IoReason.NotAFolder or IoReason.BehindLink && Find(name)?.Kind == NodeKind.Link)
        {
            throw new IoFault(IoReason.BehindLink, below, "a link stands where a folder belongs");
        }
    }

    public IFolder MakeFolder(string name, uint mode)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name)))
            Native.Check(Native.MakeDirAt(Descriptor, bytes, mode), Below(name));
        return OpenFolder(name);
    }

    public IFileHandle OpenFile(string name, bool append = false)
    {
        var flags = (append ? Native.ReadWrite : Native.ReadOnly) | Native.NoFollow | Native.NonBlocking;
        var file = new LinuxFile(Native.Open(Descriptor, Plain(name), flags, Below(name)), Below(name), Abilities);
        if (file.Facts().Kind == NodeKind.File)
            return file;
        file.Dispose();
        throw new IoFault(IoReason.NotSupported, Below(name), "not a regular file");
    }

    public IFileHandle MakeFile(string name) =>
        new LinuxFile(
            Native.Open(
                Descriptor,
                Plain(name),
                Native.ReadWrite | Native.Create | Native.Exclusive | Native.NoFollow,
                Below(name)
            ),
            Below(name),
            Abilities,
            HandsNothingDown()
        );

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
        fixed (byte* text = LinuxName.ToBytes(target))
            Native.Check(Native.SymlinkAt(text, Descriptor, bytes), Below(name));
    }

    public void MakeHardLink(string name, IFolder folder, string existing)
    {
        fixed (byte* from = LinuxName.ToBytes(Plain(existing)))
        fixed (byte* to = LinuxName.ToBytes(Plain(name)))
            Native.Check(Native.LinkAt(((LinuxFolder)folder).Descriptor, from, Descriptor, to, 0), Below(name));
    }

    public void MakeFifo(string name)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name)))
            Native.Check(Native.MakeFifoAt(Descriptor, bytes, 0x180), Below(name));
    }

    public void Move(string name, IFolder to, string newName) =>
        Rename(name, (LinuxFolder)to, newName, Native.NoReplace);

    /// <summary>Exchanges two entries of this folder atomically.</summary>
    internal void Exchange(string one, string other) => Rename(one, this, other, Native.Exchange);

    public void RemoveFile(string name) => Unlink(name, 0);

    public void RemoveFolder(string name) => Unlink(name, Native.RemoveFolder);

    /// <summary>Through a handle on the node itself: a name can be given to something else between two calls.</summary>
    public void ApplyTo(string name, in NodeFacts facts)
    {
        using var node = Native.Open(Descriptor, Plain(name), Native.PathOnly | Native.NoFollow, Below(name));
        var number = (int)node.DangerousGetHandle();
        if (ToFacts(Native.TryStat(number, "", Below(name))!.Value).Kind != facts.Kind)
            throw new IoFault(IoReason.Changed, Below(name), "it became something else");
        var times = stackalloc Native.TimeSpec[2];
        SetTimes(times, facts.ModifiedNs);
        fixed (byte* itself = "\0"u8)
        fixed (byte* shown = LinuxName.ToBytes($"/proc/self/fd/{number}"))
        {
            if (Abilities.Owners)
                Native.Check(Native.ChownAt(number, itself, facts.Owner, facts.Group, Native.EmptyPath), Below(name));
            // Neither mode nor time of what was opened for its path alone can be set but by the name that the system
            // has for the handle; it leads to that very node. A link has no mode.
            if (Abilities.Owners && facts.Kind != NodeKind.Link)
                Native.Check(Native.ChmodAt(Native.AtCurrentFolder, shown, facts.Mode, 0), Below(name));
            if (facts.Kind != NodeKind.Link)
                Native.Check(Native.TimesAt(Native.AtCurrentFolder, shown, times, 0), Below(name));
        }
        if (facts.Kind != NodeKind.Link)
            return;
        fixed (byte* bytes = LinuxName.ToBytes(name))
            Native.Check(Native.TimesAt(Descriptor, bytes, times, Native.NoFollowAt), Below(name));
    }

    public void CountWith(IFolder other)
    {
        Native.FileFlags theirs,
            own;
        if (
            Native.Ask(((LinuxFolder)other).Descriptor, Native.GetFileFlags, &theirs) != 0
            || (theirs.Flags & Native.InheritsProject) == 0
        )
            return;
        if (Native.Ask(Descriptor, Native.GetFileFlags, &own) != 0)
            return;
        (own.Project, own.Flags) = (theirs.Project, own.Flags | Native.InheritsProject);
        Native.Check(Native.Ask(Descriptor, Native.SetFileFlags, &own), Path);
    }

    /// <summary>
    /// Whether files made here inherit no attributes: asked once, before this handle sets any itself.
    /// </summary>
    private bool HandsNothingDown()
    {
        if (_handsDown == 0)
            _handsDown = ReadAttributes().Values.Count == 0 ? 2 : 1;
        return _handsDown == 2;
    }

    private void Rename(string name, LinuxFolder to, string newName, uint flags)
    {
        fixed (byte* from = LinuxName.ToBytes(Plain(name)))
        fixed (byte* there = LinuxName.ToBytes(Plain(newName)))
        {
            if (Native.RenameAt(Descriptor, from, to.Descriptor, there, flags) == 0)
                return;
            var why = Native.Last(Below(name));
            // File systems outside the kernel know only the plain rename. There, asking first is all there is; a folder
            // still never replaces one that is not empty.
            if (why.Reason != IoReason.NotSupported || flags != Native.NoReplace)
                throw why;
            if (to.Find(newName) is not null)
                throw new IoFault(IoReason.Exists, to.Below(newName), "it exists already");
            Native.Check(Native.RenameAt(Descriptor, from, to.Descriptor, there, 0), Below(name));
        }
    }

    private void Unlink(string name, int flags)
    {
        fixed (byte* bytes = LinuxName.ToBytes(Plain(name)))
            Native.Check(Native.UnlinkAt(Descriptor, bytes, flags), Below(name));
    }

    private string Below(string name) => Path.Length == 0 ? name : Path + "/" + name;

    private static string Plain(string name) =>
        name.Length > 0 && name is not ("." or "..") && !name.Contains('/') && !name.Contains('\0')
            ? name
            : throw new IoFault(IoReason.NotSupported, name, "not a plain name");
}
