using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Contracts;

/// <summary>
/// A machine with two volumes on a simulated disk, and settings in two containers that are durable when written.
/// </summary>
public sealed class SimulatedMachine(SimulatedDisk disk)
    : IMachine,
        IVolumes,
        IPointers,
        IActivity,
        IAccounts,
        ILaunchers
{
    public static readonly VolumeIdentity System = new("system", "fs-system"),
        Data = new("data", "fs-data");

    private readonly Dictionary<string, PointerValue> _settings = [];
    private readonly HashSet<string> _absent = [];

    public SimulatedDisk Disk => disk;

    public IVolumes Volumes => this;

    public IPointers Pointers => this;

    public IActivity Activity => this;

    public IAccounts Accounts => this;

    /// <summary>Whether its entries of programs are known.</summary>
    public bool KnowsLaunchers { get; set; } = true;

    public ILaunchers? Launchers => KnowsLaunchers ? this : null;

    /// <summary>Entries that were taken away.</summary>
    public HashSet<string> Hidden { get; } = [];

    public void Hide(string account, string entry)
    {
        disk.Operate("hide entry", entry);
        Hidden.Add($"{entry} of {account}");
    }

    public void Show(string account, string entry)
    {
        disk.Operate("show entry", entry);
        Hidden.Remove($"{entry} of {account}");
    }

    public Shortcut? ShortcutTo(string title, IReadOnlyList<string> command) =>
        new(".start", $"{title}: {string.Join(' ', command)}");

    /// <summary>The number of the one account.</summary>
    public uint Number { get; set; } = 1001;

    /// <summary>Whether the account may sign in.</summary>
    public bool SignInAllowed { get; private set; } = true;

    /// <summary>Whether the work was ever told to give way.</summary>
    public bool GivesWay { get; private set; }

    /// <summary>Files held open.</summary>
    public IReadOnlyList<string> Open { get; set; } = [];

    /// <summary>What its system tells of writes.</summary>
    public Hearing Hears { get; set; }

    /// <summary>Further kinds of settings stand in containers of their own, whatever these are called.</summary>
    private static string Slot(PointerAddress address) =>
        address.Kind == "simulated" ? address.Container : $"{address.Kind} {address.Container}";

    public static PointerAddress Address(string container) => new("simulated", container, "Pictures", "asa.lind");

    public void Attach(string volume, bool attached)
    {
        if (attached)
            _absent.Remove(volume);
        else
            _absent.Add(volume);
    }

    public void Setting(string container, string? value) =>
        _settings[container] = value is null ? PointerValue.Absent : new PointerValue("text", value);

    public string? Setting(string container) => _settings.GetValueOrDefault(container)?.Text;

    public IVolume Require(VolumeIdentity identity)
    {
        disk.Operate("require volume", identity.Marker);
        return _absent.Contains(identity.Marker)
            ? throw Faults.VolumeAbsent(identity.Marker)
            : new Volume(disk, identity, Hears);
    }

    public string Show(Place place) => $"/{place.Volume}/{place.Path}";

    public PointerValue Read(PointerAddress address)
    {
        disk.Operate("read pointer", address.Container);
        if (address.InPlace)
            return LinkAt(address.Container) is { } text ? new PointerValue("text", text) : PointerValue.Absent;
        return _settings.GetValueOrDefault(Slot(address)) ?? PointerValue.Absent;
    }

    /// <summary>The link at a path, "/volume/path"; null when anything else is there.</summary>
    private string? LinkAt(string shown)
    {
        var parts = shown.Split('/', 3);
        var place = new Place(parts[1], parts[2]);
        using var root = new SimulatedFolder(disk, disk.Root(place.Volume), "");
        using var parent = Reach.TryFolder(root, place.Parts.SkipLast(1));
        return parent?.Find(place.Parts[^1]) is { Kind: NodeKind.Link } ? parent.ReadLink(place.Parts[^1]) : null;
    }

    public string? Leads(PointerAddress address, PointerValue value) => value.Text;

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        new("text", Show(place) + address.Behind);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        var found = Read(address);
        if (found != expected)
            throw Faults.PointerChanged(address, expected, found);
        disk.Operate("write pointer", address.Container);
        _settings[Slot(address)] = next;
    }

    public IReadOnlyList<string> InUse(Place place) => Open;

    public string? SignInRecord(string account) => SignInAllowed ? "allowed" : "barred";

    public void BarSignIn(string account)
    {
        disk.Operate("bar sign-in", account);
        SignInAllowed = false;
    }

    public void AllowSignIn(string account, string record)
    {
        disk.Operate("allow sign-in", account);
        SignInAllowed = record == "allowed";
    }

    public IReadOnlyList<NumberedName> Names() =>
        [
            new(Number, "asa.lind", false),
            new(Number, "asa.lind", true),
            new(Number == 1002 ? 1001u : 1002u, "tea.boro", false),
        ];

    public IReadOnlySet<string> WhoReaches(IReadOnlyList<(NodeFacts Facts, Attributes Attributes)> folders) =>
        Names()
            .Where(n => !n.IsGroup && folders.All(f => (f.Facts.Mode & (f.Facts.Owner == n.Number ? 0x40 : 1)) != 0))
            .Select(n => n.Name)
            .ToHashSet();

    public Attributes Renumbered(Attributes attributes, Func<uint, bool, uint> renumber) => attributes;

    public void GiveWay(bool gives) => GivesWay |= gives;

    public string? WhereIs(HoldingName holding) => Setting("one");

    /// <summary>Programs that run.</summary>
    public IReadOnlyList<string> Programs { get; set; } = [];

    /// <summary>What every program's command answers; null: that commands do not run here.</summary>
    public Func<string?> Answer { get; set; } = () => null;

    public IReadOnlyList<string> Running(string account, IReadOnlyList<string>? programs) =>
        [.. (programs ?? Programs).Intersect(Programs).Select(p => $"{p} ({account})")];

    public string? Ask(string account, IReadOnlyList<string> command) => Answer();

    /// <summary>Whether someone is signed in who can be notified.</summary>
    public bool Present { get; set; }

    /// <summary>The notice that is shown, and what may be chosen.</summary>
    public ShownNotice? Shown { get; set; }

    public IShownNotice? Show(string account, ToldText told, TimeSpan length, bool mayPutOff) =>
        Present ? Shown = new ShownNotice(this, told.Text, mayPutOff) : null;

    /// <summary>A notice before someone's eyes.</summary>
    public sealed record ShownNotice(SimulatedMachine Machine, string Text, bool MayPutOff) : IShownNotice
    {
        public bool IsPutOff { get; set; }

        public bool HasLeft => !Machine.Present;

        public void Dispose() => Machine.Shown = null;
    }

    public void Give(IFolder folder, string account, string accountId)
    {
        var owner = uint.Parse(accountId, CultureInfo.InvariantCulture);
        folder.Apply(folder.Facts() with { Owner = owner, Group = owner, Mode = Layout.Closed }, Attributes.None);
    }

    /// <summary>A tree as text: names, kinds, contents, rights and times. Docket folders are passed over.</summary>
    public string Describe(Place place)
    {
        using var root = new SimulatedFolder(disk, disk.Root(place.Volume), "");
        using var folder = Reach.TryFolder(root, place.Parts);
        if (folder is null)
            return "(missing)";
        List<string> lines = [];
        Dictionary<ulong, int> groups = [];
        Walk.Visit(
            folder,
            (within, name, path, facts) =>
            {
                if (path.Split('/').Any(p => p.StartsWith(Layout.Prefix, StringComparison.Ordinal)))
                    return;
                var node = within is null ? null : ((SimulatedFolder)within).Node.Entries[name];
                if (node is { Kind: NodeKind.File } && !groups.ContainsKey(node.Id))
                    groups[node.Id] = groups.Count;
                var holds =
                    facts.Kind == NodeKind.File
                        ? $"{Convert.ToHexString(node!.Content)} {groups[node.Id]}"
                        : node?.Link;
                lines.Add($"{path}|{facts.Kind}|{holds}|{facts.Mode}|{facts.Owner}|{facts.ModifiedNs}");
            },
            CancellationToken.None
        );
        return string.Join('\n', lines);
    }

    /// <summary>
    /// What a system tells of writes: nothing at all; every one; or that there were none, whatever happened, so that
    /// only times can tell.
    /// </summary>
    public enum Hearing
    {
        Nothing,
        Everything,
        NoneEver,
    }

    private sealed class Watch : IWriteWatch
    {
        private readonly SimulatedDisk _disk;
        private readonly Hearing _hears;
        private readonly HashSet<ulong> _written = [];

        internal Watch(SimulatedDisk disk, Hearing hears)
        {
            (_disk, _hears) = (disk, hears);
            disk.Written += Hear;
        }

        public IReadOnlySet<ulong>? Written(IVolume volume) => _written;

        public void Dispose() => _disk.Written -= Hear;

        private void Hear(ulong file)
        {
            if (_hears == Hearing.Everything)
                _written.Add(file);
        }
    }

    private sealed class Volume(SimulatedDisk disk, VolumeIdentity identity, Hearing hears) : IVolume
    {
        public long NowNs => disk.Later();

        public IWriteWatch? WatchWrites() => hears == Hearing.Nothing ? null : new Watch(disk, hears);

        public VolumeIdentity Identity => identity;

        public long FreeBytes => disk.CapacityBytes;

        public FileSystemAbilities Abilities => FileSystemAbilities.Full with { ExtendedAttributes = false };

        public int Workers => 1;

        public int Readers => 1;

        public IFolder OpenRoot() => new SimulatedFolder(disk, disk.Root(identity.Marker), "");

        public void Sync()
        {
            disk.Operate("sync volume", identity.Marker);
            if (disk.Forgets("volume", identity.Marker))
                return;
            lock (disk.Lock)
                disk.FlushVolume(disk.Root(identity.Marker));
        }

        public void Dispose() { }
    }
}
