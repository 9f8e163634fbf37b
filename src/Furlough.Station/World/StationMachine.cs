using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>Power went: whatever the agent was doing is cut off; the machine comes back as its log says.</summary>
public sealed class PowerLossException() : CutShortException("The power of this stand-in went away.");

/// <summary>
/// A stand-in workstation: volumes, accounts, settings and faults from its declaration, and a log of everything that
/// happened since, so that it is found again as it was. What was not flushed when the process died is lost, as on a
/// real machine. It is for demonstration and scale; it proves nothing about safety.
/// </summary>
public sealed class StationMachine : IMachine, IDisposable
{
    private readonly Lock _lock = new();
    private readonly string _folder;
    private readonly StreamWriter _log;
    private readonly List<StationVolumeState> _volumes = [];
    private readonly Dictionary<int, StationNode> _nodes = [];
    private readonly Dictionary<(string Container, string Key), PointerValue> _settings = [];
    private readonly HashSet<string> _barred = [];
    private readonly HashSet<string> _happened = [];
    private readonly List<StationNode> _dirty = [];
    private int _lastId;

    /// <param name="spec">What the machine is.</param>
    /// <param name="folder">Folder for its log and for Furlough's own files on it.</param>
    /// <param name="clock">Its simulated time.</param>
    /// <param name="behindCommands">For a desk whose system keeps settings behind its own commands: the pointers that
    /// use these.</param>
    public StationMachine(
        MachineSpec spec,
        string folder,
        StationClock clock,
        Func<ICommands, IVolumes, IPointers>? behindCommands = null
    )
    {
        (Spec, _folder, Clock) = (spec, folder, clock);
        Directory.CreateDirectory(Path.Combine(folder, "files"));
        Declare();
        foreach (var volume in _volumes)
            volume.DeclaredUsedBytes = volume.UsedBytes;
        var path = Path.Combine(folder, "world.log");
        if (File.Exists(path))
            StationLog.Replay(this, File.ReadLines(path));
        if (spec.Faults.OfType<VolumeFills>().FirstOrDefault() is { } filled && HasHappened(StationVolumes.Fills))
            _volumes[^1].UsedBytes = _volumes[^1].Spec.SizeBytes - filled.LeavesBytes;
        _log = new StreamWriter(new FileStream(path, FileMode.Append, FileAccess.Write, FileShare.Read))
        {
            AutoFlush = false,
        };
        Volumes = new StationVolumes(this);
        Settings = new StationPointers(
            this,
            spec.SettingsBehindCommands ? behindCommands!(new StationCommands(this), Volumes) : null
        );
        Activity = new StationActivity(this);
        Accounts = new StationAccounts(this);
        Surveyor = new StationSurveyor(this);
    }

    /// <summary>The declaration.</summary>
    public MachineSpec Spec { get; }

    /// <summary>Simulated time.</summary>
    public StationClock Clock { get; }

    /// <inheritdoc/>
    public IVolumes Volumes { get; }

    /// <inheritdoc/>
    public IPointers Pointers => Settings;

    /// <inheritdoc/>
    public IActivity Activity { get; }

    /// <inheritdoc/>
    public IAccounts Accounts { get; }

    /// <summary>Takes surveys.</summary>
    public ISurveyor Surveyor { get; }

    internal StationPointers Settings { get; }

    internal IReadOnlyList<StationVolumeState> VolumeStates => _volumes;

    internal Lock Lock => _lock;

    /// <inheritdoc/>
    public void Dispose() => _log.Dispose();

    /// <summary>Whether a scripted event has happened; the first call makes it happen and writes it down.</summary>
    internal bool Once(string happening)
    {
        lock (_lock)
        {
            if (!_happened.Add(happening))
                return false;
            Write($"once\t{happening}");
            FlushLog();
            return true;
        }
    }

    internal bool HasHappened(string happening) => _happened.Contains(happening);

    internal PointerValue Setting(string container, string key) =>
        _settings.GetValueOrDefault((container, key)) ?? PointerValue.Absent;

    internal IEnumerable<(string Key, PointerValue Value)> SettingsIn(string container) =>
        _settings
            .Where(s => s.Key.Container == container && s.Value.Text is not null)
            .Select(s => (s.Key.Key, s.Value));

    internal void SetSetting(string container, string key, PointerValue value)
    {
        _settings[(container, key)] = value;
        Write($"set\t{container}\t{key}\t{value.Type}\t{value.Text}");
        FlushLog();
    }

    internal bool IsBarred(string account) => _barred.Contains(account);

    internal void SetBarred(string account, bool barred)
    {
        if (barred)
            _barred.Add(account);
        else
            _barred.Remove(account);
        Write($"{(barred ? "bar" : "allow")}\t{account}");
        FlushLog();
    }

    /// <summary>What stands at a place; links are not followed.</summary>
    internal StationNode? Find(Place place)
    {
        var node = _volumes.FirstOrDefault(v => v.Identity.Key == place.Volume)?.Root;
        foreach (var part in place.Parts)
            if (node is null || !node.Children.TryGetValue(part, out node))
                return null;
        return node;
    }

    internal StationNode Node(int id) => _nodes[id];

    internal StationNode NewNode(NodeKind kind, StationVolumeState volume, int id = 0)
    {
        _lastId = id == 0 ? _lastId + 1 : Math.Max(_lastId, id);
        var node = new StationNode(id == 0 ? _lastId : id, kind, volume);
        _nodes[node.Id] = node;
        return node;
    }

    /// <summary>A real file for the content of one of Furlough's own files.</summary>
    internal string StorageOf(StationNode node) =>
        Path.Combine(_folder, "files", node.Id.ToString(CultureInfo.InvariantCulture));

    internal void MarkDirty(StationNode folder)
    {
        if (!_dirty.Contains(folder))
            _dirty.Add(folder);
    }

    /// <summary>Adds a line to the log; durable (against the process's death) with <see cref="FlushLog"/>.</summary>
    internal void Write(string line) => _log?.WriteLine(line);

    internal void FlushLog()
    {
        foreach (var folder in _dirty)
        {
            if (!folder.RangeDirty)
                continue;
            Write($"runs\t{folder.Id}\t{folder.Runs()}");
            folder.RangeDirty = false;
        }
        _dirty.Clear();
        _log?.Flush();
    }

    /// <summary>
    /// Time passes for an operation: so much for a file, so much for its bytes, with the noise of real disks.
    /// </summary>
    internal void Spend(StationVolumeState volume, long bytes)
    {
        var noise = 0.8 + 0.4 * (FileRange.Mix((ulong)bytes + (ulong)_lastId) % 1000 / 1000.0);
        Clock.Spend((1 / volume.Spec.FilesPerSecond + bytes / volume.Spec.BytesPerSecond) * noise);
    }

    private void Declare()
    {
        foreach (var spec in Spec.Volumes)
        {
            var index = _volumes.Count;
            var marker = StableId($"{Spec.Name} {spec.Letter}");
            var volume = new StationVolumeState(index, spec, new VolumeIdentity(marker, $"fs-{marker[..8]}"));
            _volumes.Add(volume);
            _nodes[volume.Root.Id] = volume.Root;
            _lastId = Math.Max(_lastId, volume.Root.Id);
        }
        var system = _volumes[0];
        var accounts = MakeFolder(system.Root, "Accounts", 0, 0x1ED);
        foreach (var account in Spec.Accounts)
        {
            var home = MakeFolder(accounts, account.Name, account.Id, 0x1C0);
            _settings[(StationPointers.Accounts, account.Name)] = new PointerValue(
                "text",
                system.Spell($"Accounts/{account.Name}")
            );
            foreach (var holding in account.Folders)
            {
                if (holding.LivesAt is null && !holding.IsLost && holding.MadeBy is null)
                    DeclareHolding(MakeFolder(home, holding.Name, account.Id, 0x1C0), holding, account.Id);
                if (
                    holding.LivesAt is { } elsewhere
                    && Declared(elsewhere, account.Id) is { } folder
                    && folder.Children.Count == 0
                )
                    DeclareHolding(folder, holding, account.Id);
                if (holding.CopyAt is { } copy)
                    DeclareHolding(Declared(copy, account.Id), holding, account.Id);
                if (holding.Preference is { } preference)
                    _settings[(StationCommands.PreferencesOf(account.Name, preference.Domain), preference.Key)] =
                        new PointerValue("string", $"~/{holding.Name}");
                if (Spec.SettingsBehindCommands || holding.MadeBy is not null)
                    continue;
                var at = holding.LivesAt is { } place
                    ? _volumes[place.Volume]
                        .Spell(holding.Adds is { } adds ? place.Path[..^(adds.Length + 1)] : place.Path)
                    : null;
                _settings[(StationPointers.Current(account.Name), holding.Name)] = new PointerValue(
                    "expandable",
                    at ?? $"%PROFILE%\\{holding.Name}"
                );
                _settings[(StationPointers.Older(account.Name), holding.Name)] = new PointerValue(
                    "text",
                    holding.OlderSetting ?? at ?? system.Spell($"Accounts/{account.Name}/{holding.Name}")
                );
            }
        }
        foreach (var fault in Spec.Faults.OfType<UnreadableFile>())
            DeclareUnreadable(accounts, fault);
        if (Spec.AppVolume is { } apps)
            _settings[(StationPointers.AddressOfAppVolume(apps).Container, StationPointers.AppVolumeKey)] =
                new PointerValue("volume", system.Spec.Letter);
        if (Spec.Programs is not { } programs)
            return;
        var installed = MakeFolder(system.Root, programs.Folder, 0, 0x1ED);
        foreach (var app in Spec.Apps)
        {
            DeclareRange(
                MakeFolder(installed, app.Name, 0, 0x1ED),
                "parts",
                new FileRange(
                    FileRange.Mix(Spec.Seed + (ulong)app.Name.Length),
                    app.Files,
                    "part",
                    ".bin",
                    app.DataBytes / app.Files,
                    0
                )
            );
            var address = StationPointers.AddressOfApp(app.Name);
            _settings[(address.Container, address.Key)] = new PointerValue(
                "text",
                system.Spell($"{programs.Folder}/{app.Name}")
            );
        }
        foreach (var address in StationPointers.AddressesOfPrograms)
            _settings[(address.Container, address.Key)] = new PointerValue("text", system.Spell(programs.Folder));
        if (programs.OlderSetting is { } older)
            _settings[(StationPointers.AddressesOfPrograms[1].Container, StationPointers.ProgramsKey)] =
                new PointerValue("text", older);
    }

    /// <summary>The folder at a place, made where it is missing.</summary>
    private StationNode Declared(SpecPlace place, uint owner)
    {
        var at = _volumes[place.Volume].Root;
        foreach (var part in place.Path.Split('/'))
            at = at.Children.TryGetValue(part, out var there) ? there : MakeFolder(at, part, owner, 0x1C0);
        return at;
    }

    private void DeclareHolding(StationNode folder, FolderSpec spec, uint owner)
    {
        var large = spec.Files - spec.SmallFiles;
        if (large > 0)
            DeclareRange(
                folder,
                "sheets",
                new FileRange(
                    Seed(folder, 1),
                    large,
                    spec.Stem,
                    spec.Ending,
                    (spec.DataBytes - spec.SmallFiles * 4_000L) / large,
                    owner
                )
            );
        if (spec.SmallFiles > 0)
            DeclareRange(
                folder,
                "index",
                new FileRange(Seed(folder, 2), spec.SmallFiles, "tile", ".idx", 4_000, owner)
            );
    }

    private void DeclareRange(StationNode folder, string name, FileRange range)
    {
        var inner = MakeFolder(folder, name, range.Owner, 0x1C0);
        inner.SetRange(range, full: true);
        for (var i = 0; i < range.Count; i++)
            inner.Volume.UsedBytes += range.SizeOf(i);
    }

    private void DeclareUnreadable(StationNode accounts, UnreadableFile fault)
    {
        var at = accounts.Children[fault.Account].Children[fault.Folder];
        var parts = fault.Path.Split('/');
        foreach (var part in parts[..^1])
            at = at.Children.TryGetValue(part, out var there) ? there : MakeFolder(at, part, at.Owner, 0x1C0);
        var file = NewNode(NodeKind.File, at.Volume);
        (file.SizeBytes, file.ModifiedNs, file.Mode, file.Owner, file.Group, file.Unreadable) = (
            48_000_000,
            1_560_000_000_000_000_000,
            0x180,
            at.Owner,
            at.Owner,
            true
        );
        at.Children[parts[^1]] = file;
        at.Volume.UsedBytes += file.SizeBytes;
    }

    private StationNode MakeFolder(StationNode parent, string name, uint owner, uint mode)
    {
        var node = NewNode(NodeKind.Folder, parent.Volume);
        (node.Owner, node.Group, node.Mode, node.ModifiedNs) = (owner, owner, mode, 1_590_000_000_000_000_000);
        parent.Children[name] = node;
        return node;
    }

    private ulong Seed(StationNode folder, int part) =>
        FileRange.Mix(Spec.Seed * 1_000_003 + (ulong)folder.Id * 7 + (ulong)part);

    private string StableId(string text)
    {
        var hash = System.Security.Cryptography.SHA256.HashData(
            System.Text.Encoding.UTF8.GetBytes($"{Spec.Seed} {text}")
        );
        return new Guid(hash.AsSpan(0, 16)).ToString("D");
    }
}
