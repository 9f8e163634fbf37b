using System.Runtime.InteropServices;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Microsoft.Win32.SafeHandles;

namespace Furlough.Platform.Windows;

/// <summary>An open folder; every name is used relative to its handle, and links are opened themselves.</summary>
internal sealed unsafe class WindowsFolder(SafeFileHandle handle, string path, WindowsAbilities abilities)
    : WindowsNode(handle, path, abilities),
        IFolder
{
    internal const uint FolderAccess = Native.ReadData | Native.ReadAttributes | Native.ReadControl,
        OwnFolderAccess =
            FolderAccess
            | Native.WriteData
            | Native.AppendData
            | Native.WriteAttributes
            | Native.WriteDac
            | Native.WriteOwner;
    private const uint FileAccess = Native.ReadData | Native.ReadAttributes | Native.ReadControl,
        OwnFileAccess =
            FileAccess
            | Native.WriteData
            | Native.AppendData
            | Native.WriteAttributes
            | Native.WriteDac
            | Native.WriteOwner;
    private const int DirectoryInformation = 1,
        RenameInformation = 10,
        LinkInformation = 11,
        DispositionInformation = 13,
        BasicInformation = 4,
        StreamInformation = 22;

    public NodeFacts? Find(string name)
    {
        var code = Native.TryOpen(
            Raw,
            Plain(name),
            Native.ReadAttributes,
            Native.ShareAll,
            Native.OpenExisting,
            0,
            out var found
        );
        if (code is Native.NotFound or Native.PathNotFound)
            return null;
        Native.Check(code, Below(name));
        using (found)
            return FactsOf(found!.DangerousGetHandle(), Abilities.Serial, Below(name));
    }

    /// <summary>Every node has a security descriptor.</summary>
    public bool HasAttributes(string name) => true;

    public bool HasMoreThanIsCopied(string name, NodeKind kind)
    {
        const int size = 1024;
        if (
            kind != NodeKind.File
            || Native.TryOpen(
                Raw,
                Plain(name),
                Native.ReadAttributes,
                Native.ShareAll,
                Native.OpenExisting,
                Native.NoFolder,
                out var opened
            ) != 0
        )
            return false;
        using (opened)
        {
            var streams = stackalloc byte[size];
            Native.Status status;
            var code = Native.NtQueryInformationFile(
                opened!.DangerousGetHandle(),
                &status,
                streams,
                size,
                StreamInformation
            );
            return code == Native.BufferOverflow
                || (code == 0 && FileMarks.HasFurtherStreams(new ReadOnlySpan<byte>(streams, (int)status.Information)));
        }
    }

    public IReadOnlyList<FolderEntry> List()
    {
        const int size = 65_536;
        List<FolderEntry> entries = [];
        var buffer = (byte*)NativeMemory.Alloc(size);
        try
        {
            for (byte restart = 1; ; restart = 0)
            {
                Native.Status status;
                var code = Native.NtQueryDirectoryFile(
                    Raw,
                    0,
                    0,
                    0,
                    &status,
                    buffer,
                    size,
                    DirectoryInformation,
                    0,
                    null,
                    restart
                );
                if (code == Native.NoMoreFiles)
                    return entries;
                Native.Check(code, Path);
                for (var at = buffer; ; at += *(uint*)at)
                {
                    const int attributesAt = 56,
                        lengthAt = 60,
                        nameAt = 64;
                    var name = new string((char*)(at + nameAt), 0, (int)(*(uint*)(at + lengthAt) / 2));
                    var bits = *(uint*)(at + attributesAt);
                    if (name is not ("." or ".."))
                        entries.Add(
                            new FolderEntry(
                                name,
                                (bits & Native.IsLink) != 0 ? Find(name)?.Kind ?? NodeKind.File
                                    : (bits & Native.IsFolder) != 0 ? NodeKind.Folder
                                    : NodeKind.File
                            )
                        );
                    if (*(uint*)at == 0)
                        break;
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
        var (text, below) = name == "." ? ("", Path) : (Plain(name), Below(name));
        var code = Native.TryOpen(
            Raw,
            text,
            OwnFolderAccess,
            Native.ShareAll,
            Native.OpenExisting,
            Native.Folder,
            out var opened
        );
        if (code == Native.AccessDenied)
            code = Native.TryOpen(
                Raw,
                text,
                FolderAccess,
                Native.ShareAll,
                Native.OpenExisting,
                Native.Folder,
                out opened
            );
        Native.Check(code, below);
        var folder = new WindowsFolder(opened!, below, Abilities);
        if (folder.Facts().Kind == NodeKind.Folder)
            return folder;
        folder.Dispose();
        throw new IoFault(IoReason.BehindLink, below, "a link stands where a folder belongs");
    }

    public IFolder MakeFolder(string name, uint mode)
    {
        using (
            Native.Open(Raw, Plain(name), FolderAccess, Native.ShareAll, Native.CreateNew, Native.Folder, Below(name))
        ) { }
        var made = (WindowsFolder)OpenFolder(name);
        if (mode == Layout.Closed)
            made.Close(null);
        return made;
    }

    public IFileHandle OpenFile(string name, bool append = false)
    {
        var file = new WindowsFile(
            Native.Open(
                Raw,
                Plain(name),
                append ? OwnFileAccess : FileAccess,
                Native.ShareAll,
                Native.OpenExisting,
                Native.NoFolder,
                Below(name)
            ),
            Below(name),
            Abilities
        );
        if (file.Facts().Kind == NodeKind.File)
            return file;
        file.Dispose();
        throw new IoFault(IoReason.BehindLink, Below(name), "a link stands where a file belongs");
    }

    public IFileHandle MakeFile(string name) =>
        new WindowsFile(
            Native.Open(
                Raw,
                Plain(name),
                OwnFileAccess,
                Native.ShareAll,
                Native.CreateNew,
                Native.NoFolder,
                Below(name)
            ),
            Below(name),
            Abilities
        );

    public string ReadLink(string name)
    {
        using var link = Native.Open(
            Raw,
            Plain(name),
            Native.ReadAttributes,
            Native.ShareAll,
            Native.OpenExisting,
            0,
            Below(name)
        );
        var record = new byte[LinkRecord.MostBytes];
        Native.Status status;
        fixed (byte* at = record)
            Native.Check(
                Native.NtFsControlFile(
                    link.DangerousGetHandle(),
                    0,
                    0,
                    0,
                    &status,
                    Native.ReadLinkRecord,
                    null,
                    0,
                    at,
                    (uint)record.Length
                ),
                Below(name)
            );
        return LinkRecord.Read(
            record.AsSpan(0, (int)status.Information),
            IsMarkedFolder(link.DangerousGetHandle()),
            Below(name)
        );
    }

    public void MakeLink(string name, string target)
    {
        var (record, isFolder) = LinkRecord.Write(target);
        using var link = Native.Open(
            Raw,
            Plain(name),
            Native.ReadAttributes | Native.WriteAttributes | Native.Delete,
            Native.ShareAll,
            Native.CreateNew,
            isFolder ? Native.Folder : Native.NoFolder,
            Below(name)
        );
        Native.Status status;
        uint code;
        fixed (byte* at = record)
            code = Native.NtFsControlFile(
                link.DangerousGetHandle(),
                0,
                0,
                0,
                &status,
                Native.WriteLinkRecord,
                at,
                (uint)record.Length,
                null,
                0
            );
        if (code == 0)
            return;
        byte delete = 1;
        _ = Native.NtSetInformationFile(link.DangerousGetHandle(), &status, &delete, 1, DispositionInformation);
        throw Native.Fault(code, Below(name));
    }

    public void MakeFifo(string name) =>
        throw new IoFault(IoReason.NotSupported, Below(name), "this system has no named pipes in folders");

    public void MakeHardLink(string name, IFolder folder, string existing)
    {
        var from = (WindowsFolder)folder;
        using var file = Native.Open(
            from.Raw,
            Plain(existing),
            Native.ReadAttributes | Native.WriteAttributes,
            Native.ShareAll,
            Native.OpenExisting,
            Native.NoFolder,
            from.Below(existing)
        );
        NameAs(file, this, name, LinkInformation);
    }

    public void Move(string name, IFolder to, string newName)
    {
        using var moving = Native.Open(
            Raw,
            Plain(name),
            Native.Delete | Native.ReadAttributes,
            Native.ShareAll,
            Native.OpenExisting,
            0,
            Below(name)
        );
        NameAs(moving, (WindowsFolder)to, newName, RenameInformation);
    }

    /// <summary>A link that stands for a folder is not a folder.</summary>
    public void RemoveFile(string name) => Remove(name, Find(name) is { Kind: NodeKind.Link } ? 0 : Native.NoFolder);

    public void RemoveFolder(string name) => Remove(name, Native.Folder);

    /// <summary>Of a link its time only: who may change one is decided by its folder.</summary>
    public void ApplyTo(string name, in NodeFacts facts)
    {
        using var link = Native.Open(
            Raw,
            Plain(name),
            Native.ReadAttributes | Native.WriteAttributes,
            Native.ShareAll,
            Native.OpenExisting,
            0,
            Below(name)
        );
        var basic = new Native.Basic { Written = TicksOf(facts.ModifiedNs) };
        Native.Status status;
        Native.Check(
            Native.NtSetInformationFile(
                link.DangerousGetHandle(),
                &status,
                &basic,
                (uint)sizeof(Native.Basic),
                BasicInformation
            ),
            Below(name)
        );
    }

    /// <summary>Gives what is open a name in a folder; a name that is taken is refused.</summary>
    private static void NameAs(SafeFileHandle node, WindowsFolder to, string name, int kind)
    {
        // ReplaceIfExists (padded to the size of a handle), the folder, the length of the name in bytes, the name.
        const int folderAt = 8,
            lengthAt = 16,
            nameAt = 20;
        var bytes = Plain(name).Length * 2;
        var buffer = stackalloc byte[nameAt + 2 * 260];
        if (name.Length > 259)
            throw new IoFault(IoReason.NotSupported, to.Below(name), "the name is too long");
        new Span<byte>(buffer, nameAt).Clear();
        *(nint*)(buffer + folderAt) = to.Raw;
        *(uint*)(buffer + lengthAt) = (uint)bytes;
        name.AsSpan().CopyTo(new Span<char>(buffer + nameAt, name.Length));
        Native.Status status;
        Native.Check(
            Native.NtSetInformationFile(node.DangerousGetHandle(), &status, buffer, (uint)(nameAt + bytes), kind),
            to.Below(name)
        );
    }

    private void Remove(string name, uint kind)
    {
        using var node = Native.Open(
            Raw,
            Plain(name),
            Native.Delete | Native.ReadAttributes | Native.WriteAttributes,
            Native.ShareAll,
            Native.OpenExisting,
            kind,
            Below(name)
        );
        byte delete = 1;
        Native.Status status;
        var code = Native.NtSetInformationFile(node.DangerousGetHandle(), &status, &delete, 1, DispositionInformation);
        if (code == Native.CannotDelete)
        {
            // It is marked as read-only, which here keeps even its owner from removing it.
            var basic = new Native.Basic { Attributes = Native.IsOrdinary };
            Native.Check(
                Native.NtSetInformationFile(
                    node.DangerousGetHandle(),
                    &status,
                    &basic,
                    (uint)sizeof(Native.Basic),
                    BasicInformation
                ),
                Below(name)
            );
            code = Native.NtSetInformationFile(node.DangerousGetHandle(), &status, &delete, 1, DispositionInformation);
        }
        Native.Check(code, Below(name));
    }

    private string Below(string name) => Path.Length == 0 ? name : Path + "/" + name;

    private static string Plain(string name) =>
        name.Length > 0 && name is not ("." or "..") && name.AsSpan().IndexOfAny("/\\:\0") < 0
            ? name
            : throw new IoFault(IoReason.NotSupported, name, "not a plain name");
}
