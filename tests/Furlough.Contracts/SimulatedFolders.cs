using Furlough.Engine;
using Furlough.Engine.Ports;

namespace Furlough.Contracts;

/// <summary>An open folder of the simulated disk.</summary>
public sealed class SimulatedFolder(SimulatedDisk disk, SimulatedNode node, string path) : IFolder
{
    public SimulatedNode Node => node;

    public void Dispose() { }

    public NodeFacts Facts() => Do("facts", path, () => node.Facts);

    public IReadOnlyList<FolderEntry> List() =>
        Do("list", path, () => node.Entries.Select(e => new FolderEntry(e.Key, e.Value.Kind)).ToList());

    public bool HasAttributes(string name) => false;

    public NodeFacts? Find(string name) =>
        Do("find", Below(name), () => node.Entries.TryGetValue(name, out var child) ? child.Facts : (NodeFacts?)null);

    public IFolder OpenFolder(string name) => Do("open folder", Below(name), () => name == "."
                ? new SimulatedFolder(disk, node, path)
            : Child(name) is { Kind: NodeKind.Folder } child ? new SimulatedFolder(disk, child, Below(name))
            : throw new IoFault(
                Child(name).Kind == NodeKind.Link ? IoReason.BehindLink : IoReason.NotAFolder,
                Below(name),
                "not a folder"
            ));

    public IFolder MakeFolder(string name, uint mode) => Do("make folder", Below(name), () =>
        {
            var made = New(name, NodeKind.Folder);
            made.Mode = mode;
            return new SimulatedFolder(disk, made, Below(name));
        });

    public IFileHandle OpenFile(string name, bool append = false) =>
        Do("open file", Below(name), () =>
            Child(name) is { Kind: NodeKind.File } child
                ? new SimulatedFile(disk, child, Below(name))
                : throw new IoFault(
                    Child(name).Kind == NodeKind.Link ? IoReason.BehindLink : IoReason.NotSupported,
                    Below(name),
                    "not a file"
                )
        );

    public IFileHandle MakeFile(string name) => Do("make file", Below(name), () =>
        {
            var made = New(name, NodeKind.File);
            made.Mode = 0x180;
            return new SimulatedFile(disk, made, Below(name));
        });

    public string ReadLink(string name) => Do("read link", Below(name), () => Child(name).Link);

    public void MakeLink(string name, string target) =>
        Do("make link", Below(name), () => New(name, NodeKind.Link).Link = target);

    public void MakeHardLink(string name, IFolder folder, string existing) => Do("make hard link", Below(name), () =>
        {
            RequireFree(name);
            var file = ((SimulatedFolder)folder).Child(existing);
            file.Links++;
            disk.Change(new PendingChange(node, null, node, name, file));
            return 0;
        });

    public void MakeFifo(string name) => Do("make fifo", Below(name), () => New(name, NodeKind.Fifo));

    public void Move(string name, IFolder to, string newName) => Do("move", Below(name), () =>
        {
            var target = ((SimulatedFolder)to).Node;
            var moving = Child(name);
            if (moving.Device != target.Device)
                throw new IoFault(IoReason.OtherVolume, Below(name), "another volume");
            if (target.Entries.ContainsKey(newName))
                throw new IoFault(IoReason.Exists, newName, "the name is taken");
            disk.Change(new PendingChange(node, name, target, newName, moving));
            return 0;
        });

    public void RemoveFile(string name) => Do("remove file", Below(name), () =>
        {
            var gone = Child(name);
            if (gone.Kind == NodeKind.Folder)
                throw new IoFault(IoReason.Other, Below(name), "is a folder");
            gone.Links--;
            disk.Change(new PendingChange(node, name, node, null, gone));
            return 0;
        });

    public void RemoveFolder(string name) => Do("remove folder", Below(name), () =>
        {
            var gone = Child(name);
            if (gone.Kind != NodeKind.Folder)
                throw new IoFault(IoReason.NotAFolder, Below(name), "not a folder");
            if (gone.Entries.Count > 0)
                throw new IoFault(IoReason.NotEmpty, Below(name), "not empty");
            disk.Change(new PendingChange(node, name, node, null, gone));
            return 0;
        });

    public Attributes ReadAttributes() => Attributes.None;

    public void Apply(in NodeFacts facts, Attributes attributes)
    {
        var wanted = facts;
        Do("apply", path, () => SimulatedFile.Set(disk, node, wanted));
    }

    public void ApplyTo(string name, in NodeFacts facts)
    {
        var wanted = facts;
        Do("apply", Below(name), () => SimulatedFile.Set(disk, Child(name), wanted));
    }

    public void Flush() => Do("flush folder", path, () =>
        {
            if (!disk.Forgets("folder", path))
                disk.FlushFolder(node);
            return 0;
        });

    private SimulatedNode New(string name, NodeKind kind)
    {
        RequireFree(name);
        var made = disk.NewNode(kind, node.Device);
        disk.Change(new PendingChange(node, null, node, name, made));
        return made;
    }

    private SimulatedNode Child(string name) =>
        node.Entries.GetValueOrDefault(name) ?? throw new IoFault(IoReason.NotFound, Below(name), "no such entry");

    private void RequireFree(string name)
    {
        if (node.Entries.ContainsKey(name))
            throw new IoFault(IoReason.Exists, Below(name), "the name is taken");
    }

    private string Below(string name) => path.Length == 0 ? name : path + "/" + name;

    private T Do<T>(string what, string where, Func<T> act)
    {
        disk.Operate(what, where);
        lock (disk.Lock)
            return act();
    }
}

/// <summary>An open file of the simulated disk.</summary>
public sealed class SimulatedFile(SimulatedDisk disk, SimulatedNode node, string path) : IFileHandle
{
    public NodeFacts Known { get; } = node.Facts;

    public void Dispose() { }

    public NodeFacts Facts() => Do("facts", () => node.Facts);

    public UInt128 CopyTo(IFileHandle target, ByteCounter counter, CancellationToken stop)
    {
        var to = (SimulatedFile)target;
        var content = Do("read", () => node.Content);
        // Two writes, so that a crash in between leaves half a file.
        var half = content.Length / 2;
        to.Append(content.AsSpan(0, half));
        to.Append(content.AsSpan(half));
        counter.Add(content.Length);
        return Digest(content);
    }

    public ReadBack ReadBack(ByteCounter counter, CancellationToken stop) => Do("read back", () =>
        {
            counter.Add(node.Content.Length);
            return new ReadBack(Digest(node.Content), node.Content.Length, true);
        });

    public Attributes ReadAttributes() => Attributes.None;

    public void Apply(in NodeFacts facts, Attributes attributes)
    {
        var wanted = facts;
        Do("apply", () => Set(disk, node, wanted));
    }

    public Stream Read() => Do("read", () => new MemoryStream(node.Content));

    public void Append(ReadOnlySpan<byte> bytes)
    {
        var more = bytes.ToArray();
        Do("write", () =>
        {
            if (node.Content.Length + more.Length > disk.CapacityBytes)
                throw new IoFault(IoReason.NoSpace, path, "no space left");
            node.Content = [.. node.Content, .. more];
            node.ModifiedNs = node.ChangedNs = disk.Tick();
            disk.Close(node);
            return 0;
        });
    }

    public void Flush() => Do("flush file", () =>
        {
            if (disk.Forgets("file", path))
                return 0;
            node.MakeContentDurable();
            node.MakeFactsDurable();
            return 0;
        });

    internal static int Set(SimulatedDisk disk, SimulatedNode node, NodeFacts facts)
    {
        (node.Mode, node.Owner, node.Group, node.ModifiedNs, node.ChangedNs) = (
            facts.Mode,
            facts.Owner,
            facts.Group,
            facts.ModifiedNs,
            disk.Tick()
        );
        return 0;
    }

    private static UInt128 Digest(byte[] content)
    {
        var digest = new ContentDigest();
        digest.Add(0, content);
        return digest.Finish(content.Length);
    }

    private T Do<T>(string what, Func<T> act)
    {
        disk.Operate(what, path);
        lock (disk.Lock)
            return act();
    }
}
