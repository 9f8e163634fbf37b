using System.Globalization;
using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;
using Furlough.Platform.Surveys;

namespace Furlough.Platform.Linux;

/// <summary>
/// Looks at a Linux system: volumes, people's accounts, their user folders, and the originals that wait.
/// </summary>
internal sealed class LinuxSurveyor(
    LinuxVolumes volumes,
    XdgPointers userDirs,
    LinuxPointers pointers,
    LinuxActivity activity,
    LinuxHomes homes,
    LinuxFloor floor,
    string? fallback,
    string agentVersion,
    TimeProvider time
) : ISurveyor
{
    private ServedPaths _served = ServedPaths.Nothing;

    private TreeSurvey Trees => field ??= new TreeSurvey(Open, volumes.TryOpenVolume, volumes, activity, time);

    public Survey Take(
        IReadOnlyList<KindCard> kinds,
        IReadOnlyList<OriginalFacts> originals,
        Func<Guid, bool> knows,
        CancellationToken stop
    )
    {
        var begun = time.GetUtcNow();
        List<string> notes = [];
        var found = volumes.Survey(notes);
        _served = ServedPaths.Read(volumes.Root);
        var receipts = new ReceiptSearch(volumes, knows, notes).Find(found, stop);
        var clusters = found.Select(v => v.ClusterBytes).Distinct().Order().ToList();
        List<AccountFacts> accounts = [];
        List<HoldingFacts> holdings = [];
        var quotas = volumes.QuotasOn(found);
        var barred = activity.Barred.All().Keys.ToHashSet(StringComparer.Ordinal);
        foreach (var person in Passwd.People(volumes.Root))
        {
            if (!Directory.Exists(volumes.Root + person.Home))
                continue;
            var session = activity.Session(person.User);
            accounts.Add(
                new AccountFacts(
                    person.Name,
                    person.User.ToString(CultureInfo.InvariantCulture),
                    person.Home,
                    person.Name == fallback,
                    session is not null
                )
                {
                    Session = session,
                    Quotas = quotas(person.User),
                    KeptOut = barred.Contains(person.Name) ? MissingOf(person.Name) ?? "" : null,
                    Roams =
                        found.FirstOrDefault(v => v.Identity.Key == volumes.PlaceOf(person.Home)?.Volume)?.Attached
                        == Attachment.Network,
                }
            );
            if (LookAtHome(person, clusters, notes, stop) is { } home)
                holdings.Add(home);
            foreach (var (key, name) in UserDirs.Keys)
                if (LookAtFolder(person, key, name, receipts, clusters, notes, stop) is { } holding)
                    holdings.Add(holding);
            foreach (var card in kinds.Where(k => !k.Shared))
                if (LookAtKind(person, card, clusters, notes, stop) is { } further)
                    holdings.Add(further);
        }
        foreach (var card in kinds.Where(k => k is { Shared: true, IsCommonFolder: false }))
            if (LookAtKind(Passwd.System, card, clusters, notes, stop) is { } shared)
                holdings.Add(shared);
        holdings.AddRange(LookAtApps(clusters, notes, stop));
        notes.AddRange(
            barred.Order(StringComparer.Ordinal).Select(a => $"{a} is locked out by Furlough at the moment.")
        );
        return new Survey(
            begun,
            OperatingSystem(),
            agentVersion,
            found,
            accounts,
            holdings,
            [.. originals.Select(o => Trees.LookAgain(o, holdings, stop))],
            receipts,
            notes
        )
        {
            SyncFolders = SyncFolders(notes),
            CannotTell = !activity.CanTell,
            OnBattery = Sysfs.IsOnBattery,
            StartedAt = Sysfs.StartedAt(volumes.Root),
            RestartPending = File.Exists(volumes.Root + "/run/reboot-required"),
            CommonFolders =
            [
                .. kinds
                    .Where(k => k.IsCommonFolder && IsFor(k))
                    .Select(k => LookAtCommonFolder(k, notes, stop))
                    .OfType<CommonFolderFacts>(),
            ],
            Backup = LinuxBackup.Read(volumes, notes),
        };
    }

    /// <summary>The folders that sync clients keep, by their own settings.</summary>
    private List<SyncFolderFacts> SyncFolders(List<string> notes)
    {
        List<SyncFolderFacts> found = [];
        foreach (var person in Passwd.People(volumes.Root))
        foreach (var settings in ServedPaths.SyncSettings)
        {
            if (
                !Directory.Exists($"{volumes.Root}{person.Home}/{settings}")
                || volumes.PlaceOf($"{person.Home}/{settings}") is not { } place
            )
                continue;
            using var folder = Open(place, notes);
            if (
                folder?.Find(ServedPaths.SyncFile) is not { Kind: NodeKind.File }
                || ContainerFile.Read(folder, ServedPaths.SyncFile) is not { } content
            )
                continue;
            found.AddRange(
                ServedPaths
                    .SyncFolders(content, person.Home)
                    .Select(volumes.PlaceOf)
                    .OfType<Place>()
                    .Select(at => new SyncFolderFacts(ServedPaths.SyncClient, person.Name, at))
            );
        }
        return found;
    }

    /// <summary>What of an account's is not where its settings lead, half a sentence; null for nothing.</summary>
    internal string? MissingOf(string account)
    {
        if (Passwd.People(volumes.Root).FirstOrDefault(p => p.Name == account) is not { } person)
            return "there is no such account";
        if (!Directory.Exists(volumes.Root + person.Home))
            return $"its home `{person.Home}` is not there";
        try
        {
            foreach (var (key, name) in UserDirs.Keys)
            {
                var address = XdgPointers.Address(person, key);
                var value = userDirs.Read(address);
                if (
                    value.Text is not null
                    && userDirs.Leads(address, value) is { } path
                    && !Directory.Exists(volumes.Root + path)
                )
                    return $"its {name} should be at `{path}`, and is not there";
            }
        }
        catch (Fault unread)
        {
            return unread.Message.TrimEnd('.');
        }
        return null;
    }

    private HoldingFacts? LookAtFolder(
        PasswdEntry person,
        string key,
        string name,
        IReadOnlyList<ReceiptFacts> receipts,
        List<int> clusters,
        List<string> notes,
        CancellationToken stop
    )
    {
        var (holding, address) = (
            new HoldingName(person.Name, HoldingKind.Folder, name),
            XdgPointers.Address(person, key)
        );
        if (Read(userDirs, address, holding, notes) is not { } value)
            return null;
        if (userDirs.Leads(address, value) is not { } path)
            return null;
        var usual = volumes.PlaceOf($"{person.Home}/{name}");
        var found = Look(
            holding,
            path,
            [
                new PointerFacts(address, value, volumes.PlaceOf(path))
                {
                    FixedBy = SettingPlace.FixedBy(volumes, address, person.User),
                },
            ],
            clusters,
            notes,
            stop
        );
        // Without a setting there is no such folder, unless a receipt says that there was one.
        if (!found.Present && value.Text is null && receipts.All(r => r.Holding != holding))
            return null;
        return found with { Stray = StrayAt(usual, found.Place, stop) };
    }

    /// <summary>What stands at a holding's usual place while it lives at another.</summary>
    private StrayFolder? StrayAt(Place? usual, Place? place, CancellationToken stop) =>
        usual is null || place is null || usual.IsInside(place) || place.IsInside(usual)
            ? null
            : Trees.Stray(usual, stop);

    /// <summary>The whole home, hidden files included.</summary>
    private HoldingFacts? LookAtHome(PasswdEntry person, List<int> clusters, List<string> notes, CancellationToken stop)
    {
        var (holding, address) = (
            new HoldingName(person.Name, HoldingKind.Home, HoldingName.WholeHome),
            HomePointers.Address(person)
        );
        if (Read(pointers, address, holding, notes) is not { } value)
            return null;
        var found = Look(
            holding,
            person.Home,
            [new PointerFacts(address, value, volumes.PlaceOf(person.Home))],
            clusters,
            notes,
            stop
        );
        return found.Present
            ? found with
            {
                Home = homes.LookAt(
                    person,
                    Trees.DataBytes(found.Place! with { Path = found.Place.Path + "/.cache" }, stop)
                ),
            }
            : null;
    }

    /// <summary>What a card describes is there when its program is, or else when one of its settings is.</summary>
    private HoldingFacts? LookAtKind(
        PasswdEntry account,
        KindCard card,
        List<int> clusters,
        List<string> notes,
        CancellationToken stop
    )
    {
        var holding = new HoldingName(account.Name, card.Holds, card.Name);
        if (!IsFor(card))
            return null;
        if (card.Pointers.Any(p => p.Syntax is CardPointer.Registry or CardPointer.Preference))
            return null;
        if (card.FoundBy is { } there && !Path.Exists(volumes.Root + SettingPlace.Filled(there, account)))
            return null;
        if (card.Pointers.Any(p => p.Commands is { } commands && !IsThere(commands.Reads[0])))
            return null;
        var usual = card.Usual is null ? null : SettingPlace.Filled(card.Usual, account);
        List<PointerFacts> found = [];
        string? path = null;
        foreach (var address in card.Pointers.Select(p => LinuxPointers.Address(account, p)))
        {
            if (Read(pointers, address, holding, notes) is not { } value)
                return null;
            if (value.Text is null && address.Commands is { Clears.Count: 0 })
            {
                notes.Add(
                    $"The setting for {holding} says nothing, and the kind card has no command that takes it away "
                        + "again: it was passed over."
                );
                return null;
            }
            var leads =
                value.Text is not null ? pointers.Leads(address, value)
                : address.InPlace ? SettingPlace.PathOf(volumes, address)
                : usual;
            path ??= leads;
            found.Add(
                new PointerFacts(address, value, leads is null ? null : volumes.PlaceOf(leads))
                {
                    FixedBy = SettingPlace.FixedBy(volumes, address, account.User),
                }
            );
        }
        if (card.Pointers.Any(p => p.InPlace) && path is not null && !Path.Exists(volumes.Root + path))
            return null;
        // A program whose commands answered is there.
        if (
            !card.Pointers.Any(p => p.InPlace)
            && (card.FoundBy is null && card.Pointers.All(p => p.Commands is null) || usual is null)
            && found.All(p => p.Value.Text is null)
        )
            return null;
        path ??= found.Select(p => p.Value.Text).FirstOrDefault(t => t is not null) ?? "";
        var facts =
            card.Holds == HoldingKind.InstallPath
                ? LookAtInstalled(holding, path, found, card.Lists, notes)
                : Look(holding, path, found, clusters, notes, stop);
        // An install path has no data of its own that could be in the wrong place.
        return facts with
        {
            Program = card.Program,
            Stray =
                card.Holds == HoldingKind.Library && usual is not null && !card.Pointers.Any(p => p.InPlace)
                    ? StrayAt(volumes.PlaceOf(usual), facts.Place, stop)
                    : null,
        };
    }

    private bool IsFor(KindCard card) =>
        card.Systems.Count == 0
        || card.Systems.Any(p => System.IO.Enumeration.FileSystemName.MatchesSimpleExpression(p, OperatingSystem()));

    private CommonFolderFacts? LookAtCommonFolder(KindCard card, List<string> notes, CancellationToken stop)
    {
        if (volumes.PlaceOf(card.Usual!) is not { } place)
            return null;
        using var folder = Open(place, notes);
        if (folder is null)
            return null;
        try
        {
            return new CommonFolderFacts(
                card.Name,
                volumes.Show(place),
                CommonFolders.Left(folder, owner => Passwd.NameOf(volumes.Root, owner), stop)
            );
        }
        catch (Fault fault)
        {
            notes.Add($"What lies in {card.Name} is not known: {fault.Message}");
            return null;
        }
    }

    /// <summary>Apps that are whole in a folder of their own: the system knows them by its path alone.</summary>
    private IEnumerable<HoldingFacts> LookAtApps(List<int> clusters, List<string> notes, CancellationToken stop)
    {
        foreach (var (name, immovable) in LinuxApps.In(volumes))
        {
            var (holding, address) = (new HoldingName("", HoldingKind.App, name), LinuxApps.Address(name));
            if (Read(pointers, address, holding, notes) is not { } value)
                continue;
            var path = value.Text is null ? address.Container : pointers.Leads(address, value);
            if (path is null)
                continue;
            var found = Look(
                holding,
                path,
                [new PointerFacts(address, value, volumes.PlaceOf(path))],
                clusters,
                notes,
                stop
            );
            if (found.Present)
                yield return found with
                {
                    Immovable = immovable,
                };
        }
    }

    private bool IsThere(string program) =>
        new FileInfo(volumes.Root + program) is { Exists: true } or { LinkTarget: not null };

    /// <summary>An install path is not measured: it may be the system's own, and nothing of it moves.</summary>
    private HoldingFacts LookAtInstalled(
        HoldingName holding,
        string path,
        IReadOnlyList<PointerFacts> pointers,
        string lists,
        List<string> notes
    )
    {
        var place = pointers.Select(p => p.Resolves).FirstOrDefault(p => p is not null);
        using var folder = place is null ? null : Open(place, notes);
        using var listed = folder is null || lists.Length == 0 ? null : Reach.TryFolder(folder, lists.Split('/'));
        var names = (lists.Length == 0 ? folder : listed)
            ?.List()
            .Select(e => e.Name)
            .Where(n => !n.StartsWith('.'))
            .Order(StringComparer.Ordinal)
            .Take(HoldingFacts.MostEntries);
        return new HoldingFacts(holding, place, path, folder is not null, pointers, 0, 0, 0, [], Demands.None)
        {
            Installed = [.. names ?? []],
        };
    }

    private static PointerValue? Read(IPointers from, PointerAddress address, HoldingName holding, List<string> notes)
    {
        try
        {
            return from.Read(address);
        }
        catch (Fault fault)
        {
            notes.Add($"The setting for {holding} was not read: {fault.Message}");
            return null;
        }
    }

    private HoldingFacts Look(
        HoldingName holding,
        string path,
        IReadOnlyList<PointerFacts> pointers,
        List<int> clusters,
        List<string> notes,
        CancellationToken stop
    )
    {
        var found = Trees.Look(holding, path, pointers, clusters, notes, stop);
        if (holding.Kind is HoldingKind.Folder or HoldingKind.Library)
            found = found with { ServedBy = _served.Of(path, [.. pointers.Select(p => p.Address.Container)]) };
        if (found.Place is { } place && holding.Kind != HoldingKind.InstallPath)
            found = found with { Foreign = floor.WhyNotFrom(holding, place, (_, _) => false) };
        return found.InUse.Count == 0 ? found : found with { Services = activity.Services(found.Place!) };
    }

    private LinuxFolder? Open(Place place, List<string> notes)
    {
        try
        {
            using var volume = volumes.TryOpenVolume(place.Volume) ?? throw Faults.VolumeAbsent(place.Volume);
            using var root = volume.OpenRoot();
            return (LinuxFolder?)Reach.TryFolder(root, place.Parts);
        }
        catch (Fault fault)
        {
            notes.Add(fault.Message);
            return null;
        }
    }

    private string OperatingSystem()
    {
        var file = volumes.Root + "/etc/os-release";
        var pretty = File.Exists(file)
            ? File.ReadLines(file).FirstOrDefault(l => l.StartsWith("PRETTY_NAME=", StringComparison.Ordinal))
            : null;
        return pretty is null ? "Linux" : pretty["PRETTY_NAME=".Length..].Trim('"');
    }
}
