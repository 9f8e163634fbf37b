using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>Looks at a Linux system: volumes, people's accounts, their user folders, and the originals that wait.</summary>
internal sealed class LinuxSurveyor(LinuxVolumes volumes, XdgPointers userDirs, LinuxPointers pointers, LinuxActivity activity, LinuxHomes homes, string? fallback, string agentVersion, TimeProvider time) : ISurveyor
{
    /// <summary>Of each place, what was found in its folders.</summary>
    private readonly Dictionary<Place, TreeMemory> _memories = [];

    /// <summary>The same for usual places beside which holdings live: less is asked of those.</summary>
    private readonly Dictionary<Place, TreeMemory> _strays = [];

    public Survey Take(IReadOnlyList<KindCard> kinds, IReadOnlyList<OriginalFacts> originals, Func<Guid, bool> knows, CancellationToken stop)
    {
        List<string> notes = [];
        var found = volumes.Survey(notes);
        var receipts = new ReceiptSearch(volumes, knows, notes).Find(found, stop);
        var clusters = found.Select(v => v.ClusterBytes).Distinct().Order().ToList();
        List<AccountFacts> accounts = [];
        List<HoldingFacts> holdings = [];
        foreach (var person in Passwd.People(volumes.Root))
        {
            if (!Directory.Exists(volumes.Root + person.Home)) continue;
            accounts.Add(new AccountFacts(person.Name, person.User.ToString(CultureInfo.InvariantCulture), person.Home, person.Name == fallback, activity.IsSignedIn(person.User))
            {
                Roams = found.FirstOrDefault(v => v.Identity.Key == volumes.PlaceOf(person.Home)?.Volume)?.Attached == Attachment.Network,
            });
            if (LookAtHome(person, clusters, notes, stop) is { } home) holdings.Add(home);
            foreach (var (key, name) in UserDirs.Keys)
                if (LookAtFolder(person, key, name, receipts, clusters, notes, stop) is { } holding) holdings.Add(holding);
            foreach (var card in kinds.Where(k => !k.Shared))
                if (LookAtKind(person, card, clusters, notes, stop) is { } further) holdings.Add(further);
        }
        foreach (var card in kinds.Where(k => k.Shared))
            if (LookAtKind(Passwd.System, card, clusters, notes, stop) is { } shared) holdings.Add(shared);
        return new Survey(time.GetUtcNow(), OperatingSystem(), agentVersion, found, accounts, holdings, [.. originals.Select(o => LookAgain(o, holdings, stop))], receipts, notes) { OnBattery = Sysfs.IsOnBattery, RestartPending = File.Exists(volumes.Root + "/run/reboot-required"), Backup = LinuxBackup.Read(volumes, notes) };
    }

    private HoldingFacts? LookAtFolder(PasswdEntry person, string key, string name, IReadOnlyList<ReceiptFacts> receipts, List<int> clusters, List<string> notes, CancellationToken stop)
    {
        var (holding, address) = (new HoldingName(person.Name, HoldingKind.Folder, name), XdgPointers.Address(person, key));
        if (Read(userDirs, address, holding, notes) is not { } value) return null;
        if (userDirs.Leads(address, value) is not { } path) return null;
        var usual = volumes.PlaceOf($"{person.Home}/{name}");
        var found = Look(holding, path, [new PointerFacts(address, value, volumes.PlaceOf(path)) { FixedBy = SettingPlace.FixedBy(volumes, address, person.User) }], clusters, notes, stop);
        // Without a setting there is no such folder, unless a receipt says that there was one.
        if (!found.Present && value.Text is null && receipts.All(r => r.Holding != holding)) return null;
        return found with { Stray = usual is null || found.Place is not { } place || usual.IsInside(place) || place.IsInside(usual) ? null : Stray(usual, stop) };
    }

    /// <summary>The whole home, hidden files included.</summary>
    private HoldingFacts? LookAtHome(PasswdEntry person, List<int> clusters, List<string> notes, CancellationToken stop)
    {
        var (holding, address) = (new HoldingName(person.Name, HoldingKind.Home, HoldingName.WholeHome), HomePointers.Address(person));
        if (Read(pointers, address, holding, notes) is not { } value) return null;
        var found = Look(holding, person.Home, [new PointerFacts(address, value, volumes.PlaceOf(person.Home))], clusters, notes, stop);
        return found.Present ? found with { Home = homes.LookAt(person, found.Place!, stop) } : null;
    }

    /// <summary>What a card describes is there when its program is, or else when one of its settings is.</summary>
    private HoldingFacts? LookAtKind(PasswdEntry account, KindCard card, List<int> clusters, List<string> notes, CancellationToken stop)
    {
        var holding = new HoldingName(account.Name, card.Holds, card.Name);
        if (card.Systems.Count > 0 && !card.Systems.Any(p => System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(p, OperatingSystem()))) return null;
        if (card.FoundBy is { } there && !Path.Exists(volumes.Root + SettingPlace.Filled(there, account))) return null;
        var usual = card.Usual is null ? null : SettingPlace.Filled(card.Usual, account);
        List<PointerFacts> found = [];
        string? path = null;
        foreach (var address in card.Pointers.Select(p => LinuxPointers.Address(account, p)))
        {
            if (Read(pointers, address, holding, notes) is not { } value) return null;
            var leads = value.Text is null ? usual : pointers.Leads(address, value);
            path ??= leads;
            found.Add(new PointerFacts(address, value, leads is null ? null : volumes.PlaceOf(leads)) { FixedBy = SettingPlace.FixedBy(volumes, address, account.User) });
        }
        if (card.FoundBy is null && found.All(p => p.Value.Text is null)) return null;
        path ??= found.Select(p => p.Value.Text).FirstOrDefault(t => t is not null) ?? "";
        var facts = card.Holds == HoldingKind.InstallPath ? LookAtInstalled(holding, path, found, card.Lists, notes) : Look(holding, path, found, clusters, notes, stop);
        return facts with { Program = card.Program };
    }

    /// <summary>An install path is not measured: it may be the system's own, and nothing of it moves.</summary>
    private HoldingFacts LookAtInstalled(HoldingName holding, string path, IReadOnlyList<PointerFacts> pointers, string lists, List<string> notes)
    {
        var place = pointers.Select(p => p.Resolves).FirstOrDefault(p => p is not null);
        using var folder = place is null ? null : Open(place, notes);
        using var listed = folder is null || lists.Length == 0 ? null : Reach.TryFolder(folder, lists.Split('/'));
        var names = (lists.Length == 0 ? folder : listed)?.List().Select(e => e.Name).Where(n => !n.StartsWith('.')).Order(StringComparer.Ordinal).Take(HoldingFacts.MostEntries);
        return new HoldingFacts(holding, place, path, folder is not null, pointers, 0, 0, 0, [], Demands.None) { Installed = [.. names ?? []] };
    }

    private static PointerValue? Read(IPointers from, PointerAddress address, HoldingName holding, List<string> notes)
    {
        try { return from.Read(address); }
        catch (Fault fault)
        {
            notes.Add($"The setting for {holding} was not read: {fault.Message}");
            return null;
        }
    }

    private HoldingFacts Look(HoldingName holding, string path, IReadOnlyList<PointerFacts> pointers, List<int> clusters, List<string> notes, CancellationToken stop)
    {
        var place = pointers.Select(p => p.Resolves).FirstOrDefault(p => p is not null);
        using var folder = place is null ? null : Open(place, notes);
        List<string> unread = [];
        if (place is not null && !_memories.ContainsKey(place)) _memories[place] = new TreeMemory(time);
        var size = folder is null ? default : Contents.Of(folder, path, unread, clusters, _memories[place!], stop);
        notes.AddRange(unread.Take(20).Select(u => $"{holding}: {u}"));
        var inUse = place is null || folder is null ? [] : activity.InUse(place);
        return new HoldingFacts(holding, place, path, folder is not null, pointers, size.Files, size.DataBytes, size.HiddenBytes, inUse, size.Demands ?? Demands.None)
        {
            Allocated = size.Allocated ?? [],
            LastChange = When(size.LastChangeNs),
            Services = inUse.Count == 0 ? [] : activity.Services(place!),
        };
    }

    /// <summary>What stands at the usual place of a folder whose setting leads elsewhere; an empty folder or a link is nothing.</summary>
    private StrayFolder? Stray(Place usual, CancellationToken stop)
    {
        using var folder = Open(usual, []);
        if (folder is null) return null;
        if (!_strays.TryGetValue(usual, out var memory)) _strays[usual] = memory = new TreeMemory(time);
        var size = Contents.Of(folder, "", [], [], memory, stop);
        return size.Files == 0 ? null : new StrayFolder(volumes.Show(usual), size.Files, size.DataBytes);
    }

    private LinuxFolder? Open(Place place, List<string> notes)
    {
        try
        {
            return volumes.TryOpenFolder(volumes.Show(place));
        }
        catch (Fault fault)
        {
            notes.Add(fault.Message);
            return null;
        }
    }

    private OriginalFacts LookAgain(OriginalFacts original, List<HoldingFacts> holdings, CancellationToken stop)
    {
        using var parent = Open(original.Source with { Path = string.Join('/', original.Source.Parts.SkipLast(1)) }, []);
        if (parent is null) return original;
        original = original with { Recreated = holdings.All(h => h.Place != original.Source) ? Recreated(parent, original.Source.Parts[^1], stop) : null };
        var name = Layout.FolderOf(original.Docket);
        if (parent.Find(name) is null) return original;
        using var own = parent.OpenFolder(name);
        if (own.Find(Layout.Original) is null || own.Find(Layout.Manifest) is null) return original;
        using var folder = own.OpenFolder(Layout.Original);
        using var file = own.OpenFile(Layout.Manifest);
        using var stream = file.Read();
        return original with { WrittenTo = TreeProof.Unchanged(folder, Manifest.Read(stream), 1, stop).Difference is not null };
    }

    /// <summary>What stands again at a former place: a folder, or anything else of that name as one file. A link holds no data.</summary>
    private RecreatedSource? Recreated(LinuxFolder parent, string name, CancellationToken stop)
    {
        if (parent.Find(name) is not { } there || there.Kind == NodeKind.Link) return null;
        if (there.Kind != NodeKind.Folder) return new RecreatedSource(1, there.SizeBytes, When(there.ModifiedNs));
        using var folder = parent.OpenFolder(name);
        var size = Contents.Of(folder, "", [], [], new TreeMemory(time), stop);
        return new RecreatedSource(size.Files, size.DataBytes, When(size.LastChangeNs));
    }

    private static DateTimeOffset? When(long sinceEpochNs) => sinceEpochNs == 0 ? null : DateTimeOffset.UnixEpoch.AddTicks(sinceEpochNs / 100);

    private string OperatingSystem()
    {
        var file = volumes.Root + "/etc/os-release";
        var pretty = File.Exists(file) ? File.ReadLines(file).FirstOrDefault(l => l.StartsWith("PRETTY_NAME=", StringComparison.Ordinal)) : null;
        return pretty is null ? "Linux" : pretty["PRETTY_NAME=".Length..].Trim('"');
    }
}
