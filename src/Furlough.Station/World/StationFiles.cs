using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;

namespace Furlough.Station.World;

/// <summary>An open folder of a stand-in.</summary>
internal sealed class StationFolder(StationMachine machine, StationNode node, string path) : IFolder
{
    internal StationNode Node => node;

    public void Dispose() { }

    public NodeFacts Facts() => node.Facts();

    public IReadOnlyList<FolderEntry> List()
    {
        lock (machine.Lock)
        {
            List<FolderEntry> entries = [.. node.Children.Select(c => new FolderEntry(c.Key, c.Value.Kind))];
            if (node.Range is { } range)
                for (var i = 0; i < range.Count; i++)
                    if (node.Has(i))
                        entries.Add(new FolderEntry(range.NameOf(i), NodeKind.File));
            return entries;
        }
    }

    public bool HasAttributes(string name) => false;

    public NodeFacts? Find(string name)
    {
        lock (machine.Lock)
        {
            if (Declared(name) is { } i)
                return node.FactsOf(i);
            return node.Children.TryGetValue(name, out var child) ? child.Facts() : null;
        }
    }

    public IFolder OpenFolder(string name)
    {
        if (name == ".")
            return new StationFolder(machine, node, path);
        lock (machine.Lock)
            return node.Children.TryGetValue(name, out var child) && child.Kind == NodeKind.Folder
                ? new StationFolder(machine, child, Below(name))
                : throw new IoFault(
                    child?.Kind == NodeKind.Link ? IoReason.BehindLink : IoReason.NotFound,
                    Below(name),
                    "no such folder"
                );
    }

    public IFolder MakeFolder(string name, uint mode)
    {
        lock (machine.Lock)
        {
            RequireFree(name);
            var made = machine.NewNode(NodeKind.Folder, node.Volume);
            (made.Mode, made.ModifiedNs) = (mode, Now());
            node.Children[name] = made;
            machine.Write($"dir\t{made.Id}\t{node.Id}\t{PathText.Escape(name)}");
            LogFacts(machine, made);
            return new StationFolder(machine, made, Below(name));
        }
    }

    public IFileHandle OpenFile(string name, bool append = false)
    {
        lock (machine.Lock)
        {
            if (Declared(name) is { } i)
                return new StationFile(machine, node, name, null, i, Below(name), fresh: false);
            return node.Children.TryGetValue(name, out var child) && child.Kind == NodeKind.File
                ? new StationFile(machine, node, name, child, -1, Below(name), fresh: false)
                : throw new IoFault(
                    child?.Kind == NodeKind.Link ? IoReason.BehindLink : IoReason.NotFound,
                    Below(name),
                    "no such file"
                );
        }
    }

    public IFileHandle MakeFile(string name)
    {
        lock (machine.Lock)
        {
            RequireFree(name);
            var made = machine.NewNode(NodeKind.File, node.Volume);
            node.Children[name] = made;
            return new StationFile(machine, node, name, made, -1, Below(name), fresh: true);
        }
    }

    public string ReadLink(string name)
    {
        lock (machine.Lock)
            return node.Children.TryGetValue(name, out var child) && child.Link is { } text
                ? text
                : throw new IoFault(IoReason.NotFound, Below(name), "no such link");
    }

    public void MakeLink(string name, string target)
    {
        lock (machine.Lock)
        {
            RequireFree(name);
            var made = machine.NewNode(NodeKind.Link, node.Volume);
            (made.Link, made.ModifiedNs) = (target, Now());
            node.Children[name] = made;
            machine.Write($"link\t{made.Id}\t{node.Id}\t{PathText.Escape(name)}\t{PathText.Escape(target)}");
        }
    }

    public void MakeHardLink(string name, IFolder folder, string existing) => throw NotThere(name);

    public void MakeFifo(string name) => throw NotThere(name);

    public void Move(string name, IFolder to, string newName)
    {
        lock (machine.Lock)
        {
            var target = (StationFolder)to;
            if (target.Find(newName) is not null)
                throw new IoFault(IoReason.Exists, target.Below(newName), "the name is taken");
            if (!node.Children.Remove(name, out var moving))
                throw new IoFault(IoReason.NotFound, Below(name), "no such entry");
            target.Node.Children[newName] = moving;
            machine.Write($"move\t{node.Id}\t{PathText.Escape(name)}\t{target.Node.Id}\t{PathText.Escape(newName)}");
            machine.FlushLog();
        }
    }

    public void RemoveFile(string name)
    {
        lock (machine.Lock)
        {
            if (Declared(name) is { } i)
            {
                node.Set(i, false);
                machine.MarkDirty(node);
                return;
            }
            if (!node.Children.TryGetValue(name, out var child))
                throw new IoFault(IoReason.NotFound, Below(name), "no such file");
            if (child.Kind == NodeKind.Folder)
                throw new IoFault(IoReason.Other, Below(name), "is a folder");
            Remove(name, child);
            node.Volume.UsedBytes -= child.SizeBytes;
            if (child.StoredAt is { } stored)
                File.Delete(stored);
        }
    }

    public void RemoveFolder(string name)
    {
        lock (machine.Lock)
        {
            if (!node.Children.TryGetValue(name, out var child))
                throw new IoFault(IoReason.NotFound, Below(name), "no such folder");
            if (child.Kind != NodeKind.Folder)
                throw new IoFault(IoReason.NotAFolder, Below(name), "not a folder");
            if (child.Children.Count > 0 || child.RangeCount > 0)
                throw new IoFault(IoReason.NotEmpty, Below(name), "the folder is not empty");
            Remove(name, child);
        }
    }

    public Attributes ReadAttributes() => Attributes.None;

    public void Apply(in NodeFacts facts, Attributes attributes)
    {
        lock (machine.Lock)
        {
            (node.Mode, node.ModifiedNs) = (facts.Mode, facts.ModifiedNs);
            if (node.Volume.Spec.Owners)
                (node.Owner, node.Group) = (facts.Owner, facts.Group);
            LogFacts(machine, node);
        }
    }

    public void ApplyTo(string name, in NodeFacts facts)
    {
        lock (machine.Lock)
        {
            if (!node.Children.TryGetValue(name, out var child))
                throw new IoFault(IoReason.NotFound, Below(name), "no such entry");
            (child.ModifiedNs, child.Mode) = (facts.ModifiedNs, facts.Mode);
            if (node.Volume.Spec.Owners)
                (child.Owner, child.Group) = (facts.Owner, facts.Group);
            LogFacts(machine, child);
        }
    }

    public void Flush()
    {
        lock (machine.Lock)
            machine.FlushLog();
    }

    internal static void LogFacts(StationMachine machine, StationNode node) =>
        machine.Write(
            string.Create(
                CultureInfo.InvariantCulture,
                $"facts\t{node.Id}\t{node.Mode}\t{node.Owner}\t{node.Group}\t{node.ModifiedNs}"
            )
        );

    private void Remove(string name, StationNode child)
    {
        node.Children.Remove(name);
        _ = child;
        machine.Write($"gone\t{node.Id}\t{PathText.Escape(name)}");
    }

    private void RequireFree(string name)
    {
        if (Find(name) is not null)
            throw new IoFault(IoReason.Exists, Below(name), "the name is taken");
    }

    private int? Declared(string name) => node.Range?.IndexOf(name) is { } i && node.Has(i) ? i : null;

    private long Now() => machine.Clock.GetUtcNow().ToUnixTimeMilliseconds() * 1_000_000;

    private string Below(string name) => path.Length == 0 ? name : path + "/" + name;

    private IoFault NotThere(string name) =>
        new(IoReason.NotSupported, Below(name), "stand-ins have no further names and no pipes");
}

/// <summary>An open file of a stand-in: declared (a number in its folder's range) or a node of its own.</summary>
internal sealed class StationFile(
    StationMachine machine,
    StationNode folder,
    string name,
    StationNode? node,
    int index,
    string path,
    bool fresh
) : IFileHandle
{
    private (FileRange Range, int Index)? _copyOf;

    public NodeFacts Known => Facts();

    public void Dispose()
    {
        if (!fresh || node is null)
            return;
        lock (machine.Lock)
        {
            if (_copyOf is { } copy && copy.Range.NameOf(copy.Index) == name && Joins(copy.Range))
            {
                folder.Children.Remove(name);
                folder.Volume.UsedBytes -= node.SizeBytes;
                folder.Set(copy.Index, true);
                machine.MarkDirty(folder);
            }
            else
            {
                var kept = node.StoredAt is null ? "declared" : "stored";
                machine.Write(
                    FormattableString.Invariant($"file\t{node.Id}\t{folder.Id}\t{PathText.Escape(name)}")
                        + FormattableString.Invariant($"\t{node.SizeBytes}\t{node.Content}\t{kept}")
                );
                StationFolder.LogFacts(machine, node);
            }
        }
    }

    public NodeFacts Facts()
    {
        lock (machine.Lock)
            return node?.Facts() ?? folder.FactsOf(index);
    }

    public UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop)
    {
        stop.ThrowIfCancellationRequested();
        if (node?.Unreadable == true)
            throw new IoFault(IoReason.Unreadable, path, "input/output error");
        var to = (StationFile)target;
        if (node?.StoredAt is not null)
        {
            to.Append(File.ReadAllBytes(node.StoredAt));
            return to.Digest();
        }
        var size = Facts().SizeBytes;
        machine.Spend(folder.Volume, size);
        machine.Spend(to.VolumeState, size);
        foreach (var fault in machine.Spec.Faults.OfType<NetworkCut>())
            if (counter.Bytes > fault.AfterBytes && machine.Once("network cut"))
                machine.Clock.CutUntil = machine.Clock.GetUtcNow() + fault.Length;
        to.Become(size, node?.Content ?? folder.Range!.ContentOf(index), node is null ? (folder.Range!, index) : null);
        counter.Add(size);
        return Digest();
    }

    public ReadBack ReadBack(ByteCounter counter, CancellationToken stop)
    {
        stop.ThrowIfCancellationRequested();
        var size = Facts().SizeBytes;
        machine.Spend(folder.Volume, size);
        counter.Add(size);
        return new ReadBack(Digest(), size, true);
    }

    public Attributes ReadAttributes() => Attributes.None;

    public void Apply(in NodeFacts facts, Attributes attributes)
    {
        if (node is null)
            return;
        lock (machine.Lock)
        {
            (node.Mode, node.ModifiedNs) = (facts.Mode, facts.ModifiedNs);
            if (node.Volume.Spec.Owners)
                (node.Owner, node.Group) = (facts.Owner, facts.Group);
        }
    }

    public Stream Read() =>
        node?.StoredAt is { } stored
            ? new FileStream(stored, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete)
            : Stream.Null;

    public void Append(ReadOnlySpan<byte> bytes)
    {
        lock (machine.Lock)
        {
            node!.StoredAt ??= machine.StorageOf(node);
            using (
                var file = new FileStream(
                    node.StoredAt,
                    FileMode.Append,
                    FileAccess.Write,
                    FileShare.ReadWrite | FileShare.Delete
                )
            )
                file.Write(bytes);
            node.SizeBytes += bytes.Length;
            folder.Volume.UsedBytes += bytes.Length;
        }
    }

    public void Flush()
    {
        lock (machine.Lock)
            machine.FlushLog();
    }

    private StationVolumeState VolumeState => folder.Volume;

    private void Become(long size, ulong content, (FileRange, int)? copyOf)
    {
        lock (machine.Lock)
        {
            if (folder.Volume.FreeBytes < size)
                throw new IoFault(IoReason.NoSpace, path, "no space left on the volume");
            (node!.SizeBytes, node.Content, _copyOf) = (size, content, copyOf);
            folder.Volume.UsedBytes += size;
        }
    }

    private bool Joins(FileRange range)
    {
        if (folder.Range is null && folder.Children.Count <= 64)
        {
            folder.SetRange(range, full: false);
            machine.Write(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"range\t{folder.Id}\t{range.Seed}\t{range.Count}\t{range.Prefix}\t{range.Ending}\t{range.MeanBytes}\t{range.Owner}"
                )
            );
        }
        return folder.Range == range;
    }

    private UInt128 Digest()
    {
        if (node?.StoredAt is null)
            return new UInt128(node?.Content ?? folder.Range!.ContentOf(index), (ulong)Facts().SizeBytes);
        var digest = new ContentDigest();
        var content = File.ReadAllBytes(node.StoredAt);
        digest.Add(0, content);
        return digest.Finish(content.Length);
    }
}
