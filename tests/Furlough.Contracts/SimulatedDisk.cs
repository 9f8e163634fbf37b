using Furlough.Engine;
using Furlough.Engine.Ports;

namespace Furlough.Contracts;

/// <summary>The process ends here: nothing that was not flushed survives, or only parts of it.</summary>
public sealed class CrashException() : CutShortException("simulated crash");

/// <summary>
/// Real bytes in memory, with what is durable kept apart from what is only written. A crash loses or reorders what was
/// not flushed: contents, facts, names and renames. Every operation is counted and can fail or crash.
/// </summary>
public sealed class SimulatedDisk
{
    private readonly Lock _lock = new();
    private readonly Dictionary<string, SimulatedNode> _roots = [];
    private readonly List<PendingChange> _pending = [];
    private ulong _lastId;
    private bool _others;
    private long _clock = 1_700_000_000_000_000_000;

    /// <summary>Operations so far.</summary>
    public int Operations { get; private set; }

    /// <summary>The operation after which the process ends; 0 for none.</summary>
    public int CrashAt { get; set; }

    /// <summary>The operation that fails; 0 for none.</summary>
    public int FailAt { get; set; }

    /// <summary>Every operation from <see cref="FailAt"/> on fails, not only that one.</summary>
    public bool FailForGood { get; set; }

    /// <summary>A defect of the program that is met instead of a fault; null for none.</summary>
    public Func<Exception>? Defect { get; set; }

    /// <summary>Why it fails.</summary>
    public IoReason FailWith { get; set; } = IoReason.Unreadable;

    /// <summary>Whether the fault was met.</summary>
    public bool Injected { get; private set; }

    /// <summary>Bytes that one volume may hold in all.</summary>
    public long CapacityBytes { get; set; } = long.MaxValue;

    /// <summary>
    /// Flushes that are passed over, as if the engine did not ask for them: by what is flushed and where.
    /// </summary>
    public Func<string, string, bool> Forgets { get; set; } = (_, _) => false;

    /// <summary>What others do on the machine before an operation; what they do is not counted.</summary>
    public Action Meanwhile { get; set; } = () => { };

    public Lock Lock => _lock;

    public SimulatedNode Root(string volume)
    {
        if (!_roots.TryGetValue(volume, out var root))
            _roots[volume] = root = new SimulatedNode(NodeKind.Folder, ++_lastId, (ulong)_roots.Count + 1)
            {
                Mode = 0x1ED,
                DurableExists = true,
            };
        return root;
    }

    /// <summary>Something that others do, which is not counted.</summary>
    public void ByOthers(Action act)
    {
        lock (_lock)
        {
            _others = true;
            try
            {
                act();
            }
            finally
            {
                _others = false;
            }
        }
    }

    /// <summary>Counts an operation; here it fails or crashes.</summary>
    public void Operate(string what, string path)
    {
        lock (_lock)
        {
            if (_others)
                return;
            ByOthers(Meanwhile);
            Operations++;
            if (CrashAt > 0 && Operations > CrashAt)
            {
                Injected = true;
                throw new CrashException();
            }
            if (FailAt == 0 || (FailForGood ? Operations < FailAt : Operations != FailAt))
                return;
            Injected = true;
            throw Defect?.Invoke() ?? new IoFault(FailWith, path, $"simulated {FailWith} in {what}");
        }
    }

    public SimulatedNode NewNode(NodeKind kind, ulong device)
    {
        var node = new SimulatedNode(kind, ++_lastId, device) { ModifiedNs = Tick() };
        node.ChangedNs = node.ModifiedNs;
        return node;
    }

    public long Tick() => _clock += 1_000;

    /// <summary>A second passes.</summary>
    public long Later() => _clock += 1_000_000_000;

    /// <summary>Told of the number of every file that is written and closed.</summary>
    public event Action<ulong> Written = _ => { };

    /// <summary>
    /// A program saves into a file that it has mapped: only the first save on memory that is not on the medium yet sets
    /// the file's times.
    /// </summary>
    public void SaveMapped(SimulatedNode node, byte[] content)
    {
        if (!node.IsDirty)
            node.ModifiedNs = node.ChangedNs = Tick();
        node.IsDirty = true;
        node.Content = content;
        Close(node);
    }

    internal void Close(SimulatedNode node) => Written(node.Id);

    internal void Change(PendingChange change)
    {
        change.ApplyTo(n => n.Entries);
        change.From.ModifiedNs = change.From.ChangedNs = Tick();
        change.To.ModifiedNs = change.To.ChangedNs = Tick();
        change.Node.ChangedNs = Tick();
        _pending.Add(change);
    }

    /// <summary>
    /// Makes the names in a folder durable, with what happened before to the same nodes and names; a rename is whole or
    /// not there. Nothing else.
    /// </summary>
    internal void FlushFolder(SimulatedNode folder)
    {
        HashSet<PendingChange> due = [];
        for (var i = _pending.Count - 1; i >= 0; i--)
            if (_pending[i] is var p && (p.From == folder || p.To == folder || due.Any(d => d.Needs(p))))
                due.Add(p);
        Settle(due.Contains);
        folder.MakeFactsDurable();
    }

    private void Settle(Func<PendingChange, bool> due)
    {
        foreach (var change in _pending.Where(due))
            change.ApplyTo(n => n.DurableEntries);
        _pending.RemoveAll(p => due(p));
    }

    internal void FlushVolume(SimulatedNode root)
    {
        Settle(p => p.From.Device == root.Device);
        Below(root);

        static void Below(SimulatedNode node)
        {
            node.MakeFactsDurable();
            node.MakeContentDurable();
            node.IsDirty = false;
            foreach (var child in node.Entries.Values)
                Below(child);
        }
    }

    /// <summary>What the disk holds after power went: the durable part, and of the rest what chance leaves.</summary>
    public void Crash(Random chance)
    {
        foreach (var change in _pending)
            if (chance.Next(2) == 0)
                change.ApplyTo(n => n.DurableEntries);
        _pending.Clear();
        HashSet<SimulatedNode> seen = [];
        foreach (var root in _roots.Values)
            Restore(root);
        foreach (var node in seen)
            node.Links = 0;
        foreach (var child in seen.SelectMany(n => n.Entries.Values))
            child.Links++;
        (CrashAt, FailAt, Operations) = (0, 0, 0);

        void Restore(SimulatedNode node)
        {
            if (!seen.Add(node))
                return;
            if (chance.Next(2) == 0)
                node.MakeFactsDurable();
            if (chance.Next(2) == 0)
                node.TearContent(chance);
            node.BackToDurable();
            foreach (var child in node.Entries.Values)
                Restore(child);
        }
    }
}

/// <summary>A change of names that is not durable yet. Without a name on one side it makes or removes.</summary>
internal sealed record PendingChange(
    SimulatedNode From,
    string? Name,
    SimulatedNode To,
    string? NewName,
    SimulatedNode Node
)
{
    /// <summary>
    /// Whether this change builds on an earlier one: the same node, or the same name in the same folder.
    /// </summary>
    internal bool Needs(PendingChange earlier) =>
        earlier.Node == Node
        || (earlier.Name is { } a && Uses(earlier.From, a))
        || (earlier.NewName is { } b && Uses(earlier.To, b));

    private bool Uses(SimulatedNode folder, string name) =>
        (From == folder && Name == name) || (To == folder && NewName == name);

    internal void ApplyTo(Func<SimulatedNode, Dictionary<string, SimulatedNode>> entries)
    {
        if (
            Name is not null
            && (!entries(From).TryGetValue(Name, out var there) || there != Node || !entries(From).Remove(Name))
        )
            return;
        if (NewName is not null)
            entries(To)[NewName] = Node;
    }
}

/// <summary>A node with what is written and what is durable.</summary>
public sealed class SimulatedNode(NodeKind kind, ulong id, ulong device)
{
    private byte[] _durableContent = [];
    private (long Modified, uint Mode, uint Owner, uint Group) _durable;

    public NodeKind Kind { get; } = kind;

    public ulong Id { get; } = id;

    public ulong Device { get; } = device;

    public byte[] Content { get; set; } = [];

    public string Link { get; set; } = "";

    public long ModifiedNs { get; set; }

    public long ChangedNs { get; set; }

    public uint Mode { get; set; } = 0x1C0;

    public uint Owner { get; set; }

    public uint Group { get; set; }

    public int Links { get; set; } = 1;

    /// <summary>A program has it mapped and saved into memory that is not on the medium yet.</summary>
    public bool IsDirty { get; set; }

    public bool DurableExists { get; set; }

    public Dictionary<string, SimulatedNode> Entries { get; private set; } = new(StringComparer.Ordinal);

    internal Dictionary<string, SimulatedNode> DurableEntries { get; } = new(StringComparer.Ordinal);

    public NodeFacts Facts =>
        new(Kind, Content.Length, Content.Length, ModifiedNs, ChangedNs, Device, Id, Links, Mode, Owner, Group);

    internal void MakeFactsDurable() => _durable = (ModifiedNs, Mode, Owner, Group);

    internal void MakeContentDurable() => _durableContent = Content;

    /// <summary>Of content that was not flushed, a part may have reached the medium.</summary>
    internal void TearContent(Random chance)
    {
        if (!ReferenceEquals(Content, _durableContent))
            _durableContent = Content[..chance.Next(Content.Length + 1)];
    }

    internal void BackToDurable()
    {
        Content = _durableContent;
        (ModifiedNs, Mode, Owner, Group) = _durable;
        Entries = new Dictionary<string, SimulatedNode>(DurableEntries, StringComparer.Ordinal);
    }
}
