using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Engine.Trees;
using Furlough.Model;

namespace Furlough.Station.World;

/// <summary>Volumes of a stand-in, shown by letters.</summary>
internal sealed class StationVolumes(StationMachine machine) : IVolumes
{
    internal const string Fills = "volume fills";

    public IVolume Require(VolumeIdentity identity) =>
        machine.VolumeStates.FirstOrDefault(v => v.Identity == identity) is { } state
            ? new StationVolume(machine, state)
            : throw Faults.VolumeAbsent(identity.Key);

    public string Show(Place place) =>
        machine.VolumeStates.FirstOrDefault(v => v.Identity.Key == place.Volume) is { } v
            ? v.Spell(place.Path)
            : $"(absent volume {place.Volume})\\{place.Path}";

    private sealed class StationVolume(StationMachine machine, StationVolumeState state) : IVolume
    {
        public VolumeIdentity Identity => state.Identity;

        public long FreeBytes
        {
            get
            {
                foreach (var fault in machine.Spec.Faults.OfType<VolumeFills>())
                    if (!state.Spec.System && machine.Once(Fills))
                        state.UsedBytes = state.Spec.SizeBytes - fault.LeavesBytes;
                return state.FreeBytes;
            }
        }

        public FileSystemAbilities Abilities => state.Abilities;

        public int Workers => state.Spec.Medium == Medium.Rotating ? 1 : 2;

        public int Readers => Workers;

        public IFolder OpenRoot() => new StationFolder(machine, state.Root, "");

        public void Sync()
        {
            lock (machine.Lock)
                machine.FlushLog();
        }

        public void Dispose() { }
    }
}

/// <summary>Typed settings of accounts: each user folder stands in two containers, which must agree.</summary>
/// <param name="behindCommands">The pointers of a Heron desk; null for every other.</param>
internal sealed class StationPointers(StationMachine machine, IPointers? behindCommands) : IPointers
{
    private const string Directory = "account-directory";

    internal const string Kind = "account-setting";
    private const string Link = "link";

    internal static string Current(string account) => $"settings of {account}/folders";

    internal static string Older(string account) => $"settings of {account}/folders, older programs";

    /// <summary>The container that says where homes are.</summary>
    internal const string Accounts = "accounts of the machine";

    /// <summary>The setting of an account's home.</summary>
    internal PointerAddress AddressOfHome(string account) =>
        machine.Spec.SettingsBehindCommands
            ? new(Directory, "the directory service", "home", account)
            : new(Kind, Accounts, account, account);

    private const string Machine = "settings of the machine",
        Shared = $"{Machine}/programs";

    /// <summary>The setting of a machine's programs, and its twin.</summary>
    internal static IReadOnlyList<PointerAddress> AddressesOfPrograms { get; } =
    [new(Kind, Shared, ProgramsKey, ""), new(Kind, $"{Shared}, older programs", ProgramsKey, "")];

    internal const string ProgramsKey = "programs";

    /// <summary>The setting of the volume for downloaded apps.</summary>
    internal static PointerAddress AddressOfAppVolume(AppVolumeSpec apps) =>
        new(Kind, $"{Machine}/apps", AppVolumeKey, "") { Adds = apps.Folder, NamesVolume = true };

    internal const string AppVolumeKey = "app-volume";

    /// <summary>Where the system's list of apps says that one is.</summary>
    internal static PointerAddress AddressOfApp(string name) => new(Kind, "apps of the machine", name, "");

    /// <summary>A folder stands in both containers, a library in one.</summary>
    internal IReadOnlyList<PointerAddress> Addresses(string account, FolderSpec folder, KindCard? card) =>
        card is not null && folder.Preference is not null
            ?
            [
                .. card
                    .Pointers.Where(p => p.Syntax == CardPointer.Preference)
                    .Select(p => new PointerAddress(CardPointer.Preference, p.File, p.Key, account) { Adds = p.Adds }),
            ]
        : machine.Spec.SettingsBehindCommands ? [InPlace(account, folder.Name)]
        : folder.IsLibrary ? [new(Kind, Current(account), folder.Name, account) { Adds = folder.Adds }]
        : [new(Kind, Current(account), folder.Name, account), new(Kind, Older(account), folder.Name, account)];

    /// <summary>Where no setting says where a folder is: the link that stands in its place.</summary>
    internal static PointerAddress InPlace(string account, string folder) =>
        new(Link, $"~/{folder}", "", account) { InPlace = true };

    public PointerValue Read(PointerAddress address)
    {
        lock (machine.Lock)
        {
            if (BehindCommands(address) is { } behind)
                return behind.Read(address);
            if (!address.InPlace)
                return machine.Setting(address.Container, address.Key);
            return OwnPlace(address) is { } own && machine.Find(own)?.Link is { } text
                ? new PointerValue(Link, text)
                : PointerValue.Absent;
        }
    }

    /// <summary>The path on which a folder without a setting stands, or its link.</summary>
    internal Place? OwnPlace(PointerAddress address) =>
        Resolve(machine, address.Account, new PointerValue("text", "%PROFILE%" + address.Container[1..]));

    /// <summary>Where a value leads, as a place.</summary>
    internal Place? PlaceOf(PointerAddress address, PointerValue value) =>
        address.NamesVolume
            ? machine.VolumeStates.FirstOrDefault(v => v.Spec.Letter == value.Text) is { } named
                ? new Place(named.Identity.Key, address.Adds!)
                : null
            : Leads(address, value) is { } text
                ? Resolve(machine, address.Account, new PointerValue("text", text))
                : null;

    public string? Leads(PointerAddress address, PointerValue value) =>
        BehindCommands(address) is { } behind ? behind.Leads(address, value)
        : address.NamesVolume
            ? PlaceOf(address, value) is { } apps ? machine.Volumes.Show(apps)
                : null
        : address.InPlace && value.Text is null
            ? OwnPlace(address) is { } own ? machine.Volumes.Show(own)
                : null
        : Resolve(machine, address.Account, value) is { } place
            ? machine.Volumes.Show(address.Adds is null ? place : place with { Path = $"{place.Path}/{address.Adds}" })
        : null;

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        BehindCommands(address) is { } behind ? behind.Spell(address, place, present)
        : address.NamesVolume
            ? present with
            {
                Text = machine.VolumeStates.First(v => v.Identity.Key == place.Volume).Spec.Letter,
            }
        : address.InPlace ? new PointerValue(Link, machine.Volumes.Show(place))
        : present with
        {
            Text = machine.Volumes.Show(
                address.Adds is null ? place : place with { Path = string.Join('/', place.Parts.SkipLast(1)) }
            ),
        };

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        lock (machine.Lock)
        {
            if (BehindCommands(address) is { } behind)
            {
                behind.Swap(address, expected, next);
                return;
            }
            var found = machine.Setting(address.Container, address.Key);
            if (found != expected)
                throw Faults.PointerChanged(address, expected, found);
            if (
                address.Container == Older(address.Account)
                && machine.Spec.Faults.OfType<PowerLoss>().Any()
                && machine.Once("power loss")
            )
                throw new PowerLossException();
            machine.SetSetting(address.Container, address.Key, next);
        }
    }

    private IPointers? BehindCommands(PointerAddress address) =>
        address.Kind is Directory or CardPointer.Preference ? behindCommands : null;

    /// <summary>Where a setting leads.</summary>
    internal static Place? Resolve(StationMachine machine, string account, PointerValue value)
    {
        var text = value.Text?.Replace("%PROFILE%", machine.Setting(Accounts, account).Text, StringComparison.Ordinal);
        // The longest that fits: one volume may be shown below another.
        return text is null
            ? null
            : machine
                .VolumeStates.Select(v => (Volume: v, Path: v.PathOf(text)))
                .Where(f => f.Path is not null)
                .OrderBy(f => f.Path!.Length)
                .Select(f => new Place(f.Volume.Identity.Key, f.Path!))
                .FirstOrDefault();
    }
}

/// <summary>People and programs of a stand-in.</summary>
internal sealed class StationActivity(StationMachine machine) : IActivity
{
    public IReadOnlyList<string> InUse(Place place) =>
        [
            .. machine
                .Spec.Faults.OfType<HeldOpen>()
                .Where(h => place.Path == $"Accounts/{h.Account}/{h.Folder}")
                .Select(h => $"{h.Program} ({h.Account}): {machine.Volumes.Show(place)}\\{h.File}"),
        ];

    public string? SignInRecord(string account) => machine.IsBarred(account) ? "barred" : "allowed";

    public void BarSignIn(string account) => machine.SetBarred(account, true);

    public void AllowSignIn(string account, string record) => machine.SetBarred(account, record == "barred");

    public void GiveWay(bool gives) { }

    public IReadOnlyList<string> Running(string account, IReadOnlyList<string>? programs) => [];

    /// <summary>Of the programs of kind cards, those that make a library are there.</summary>
    public string? Ask(string account, IReadOnlyList<string> command)
    {
        lock (machine.Lock)
        {
            var person = machine.Spec.Accounts.First(a => a.Name == account);
            if (person.Folders.FirstOrDefault(f => f.MadeBy == command[0]) is not { } library)
                return null;
            var home = StationPointers.Resolve(machine, account, new PointerValue("text", "%PROFILE%"))!;
            var root = new StationFolder(
                machine,
                machine.VolumeStates.First(v => v.Identity.Key == home.Volume).Root,
                ""
            );
            using var folder = Reach.Folder(root, home.Parts).MakeFolder(library.Name, 0x1C0);
            using (var index = folder.MakeFile($"{library.Stem}{library.Ending}"))
            {
                index.Append("Nothing yet.\n"u8);
                index.Apply(index.Facts() with { Owner = person.Id, Group = person.Id }, Attributes.None);
            }
            folder.Apply(folder.Facts() with { Owner = person.Id, Group = person.Id }, Attributes.None);
            machine.SetSetting(
                StationPointers.Current(account),
                library.Name,
                new PointerValue("expandable", $"%PROFILE%\\{library.Name}")
            );
            return "";
        }
    }

    public IShownNotice? Show(string account, ToldText told, TimeSpan length, bool mayPutOff) =>
        machine.Spec.Accounts.Any(a => a.Name == account && a.SignedIn)
            ? new StationNotice(mayPutOff && machine.Spec.Faults.OfType<PutsOff>().Any(p => p.Account == account))
            : null;

    public string? WhereIs(HoldingName holding)
    {
        var value =
            holding.Kind == HoldingKind.App
                ? machine.Setting(StationPointers.AddressOfApp(holding.Name).Container, holding.Name)
            : holding.Name == StationPointers.AppVolumeKey ? PointerValue.Absent
            : holding.IsShared ? machine.Setting(StationPointers.AddressesOfPrograms[0].Container, holding.Name)
            : holding.Kind == HoldingKind.Home ? machine.Setting(StationPointers.Accounts, holding.Account)
            : machine.Setting(StationPointers.Current(holding.Account), holding.Name);
        return StationPointers.Resolve(machine, holding.Account, value) is { } place
            ? machine.Volumes.Show(place)
            : null;
    }
}

/// <summary>A notice on a stand-in's screen, and what the person there does with it.</summary>
internal sealed class StationNotice(bool isPutOff) : IShownNotice
{
    public bool IsPutOff => isPutOff;

    public bool HasLeft => false;

    public void Dispose() { }
}

/// <summary>Accounts of a stand-in; it is never reinstalled, so its numbers stay.</summary>
internal sealed class StationAccounts(StationMachine machine) : IAccounts
{
    public IReadOnlyList<NumberedName> Names() =>
        [.. machine.Spec.Accounts.Select(a => new NumberedName(a.Id, a.Name, false))];

    public void Give(IFolder folder, string account, string accountId)
    {
        var owner = machine.Spec.Accounts.First(a => a.Name == account).Id;
        folder.Apply(folder.Facts() with { Owner = owner, Group = owner, Mode = Layout.Closed }, Attributes.None);
    }

    public IReadOnlySet<string> WhoReaches(IReadOnlyList<(NodeFacts Facts, Attributes Attributes)> folders) =>
        machine
            .Spec.Accounts.Where(a => folders.All(f => (f.Facts.Mode & (f.Facts.Owner == a.Id ? 0x40 : 1)) != 0))
            .Select(a => a.Name)
            .ToHashSet();

    public Attributes Renumbered(Attributes attributes, Func<uint, bool, uint> renumber) => attributes;
}

/// <summary>Surveys of a stand-in.</summary>
internal sealed class StationSurveyor(StationMachine machine) : ISurveyor
{
    /// <summary>The station's cloud drive.</summary>
    private const string SyncClient = "Bramble Drive";

    public Survey Take(
        IReadOnlyList<KindCard> kinds,
        IReadOnlyList<OriginalFacts> originals,
        Func<Guid, bool> knows,
        CancellationToken stop
    )
    {
        Drift(originals);
        lock (machine.Lock)
        {
            List<HoldingFacts> holdings = [];
            foreach (var account in machine.Spec.Accounts)
                holdings.Add(LookAtHome(account));
            foreach (var account in machine.Spec.Accounts)
            foreach (var folder in account.Folders)
                if (kinds.FirstOrDefault(k => k.Name == folder.Name) is var card && IsFound(folder, card))
                    holdings.Add(Look(account.Name, folder, card));
            if (machine.Spec.Programs is { } programs)
                holdings.Add(Look(programs));
            if (machine.Spec.AppVolume is { } apps)
                holdings.Add(Look(apps));
            holdings.AddRange(machine.Spec.Apps.Select(Look));
            var volumes = machine
                .VolumeStates.Select(v => new VolumeFacts(
                    v.Identity,
                    v.Spec.Label,
                    v.Spec.Letter,
                    v.Spec.Attached,
                    v.Spec.Medium,
                    v.Spec.FileSystem,
                    v.Spec.SizeBytes,
                    v.FreeBytes,
                    4096,
                    v.Spec.System,
                    true,
                    false,
                    v.Spec.Attached == Attachment.Internal,
                    v.Abilities,
                    v.Spec.System ? [] : Taken(v.Root, "", 1).ToList()
                )
                {
                    RootOpen = v.Spec.RootOpen,
                })
                .ToList();
            return new Survey(
                machine.Clock.GetUtcNow() - machine.Spec.SurveyAge,
                machine.Spec.OperatingSystem,
                "stand-in",
                volumes,
                [
                    .. machine.Spec.Accounts.Select(a => new AccountFacts(
                        a.Name,
                        $"{a.Id}",
                        machine.Setting(StationPointers.Accounts, a.Name).Text ?? "",
                        a.Fallback,
                        a.SignedIn
                    )
                    {
                        FromDirectory = a.FromDirectory,
                        Roams = a.Roams,
                        Quotas = a.QuotaBytes is { } most
                            ? [new AccountQuota(machine.VolumeStates[1].Identity.Key, most, 0)]
                            : [],
                        Session = a.SignedIn
                            ? new AccountSession(
                                machine.Clock.GetUtcNow(),
                                [machine.Setting(StationPointers.Accounts, a.Name).Text ?? ""]
                            )
                            : null,
                    }),
                ],
                holdings,
                [
                    .. originals.Select(o =>
                        o with
                        {
                            Recreated = holdings.All(h => h.Place != o.Source) ? Again(o.Source) : null,
                        }
                    ),
                ],
                [.. Forged(volumes)],
                []
            )
            {
                Past = machine.Once("past told") ? [.. StationPast.Of(machine)] : [],
                OnBattery = machine.Spec.OnBattery,
                RestartPending = machine.Spec.RestartPending,
                CommonFolders =
                [
                    .. machine
                        .Spec.CommonFolders.Where(f => kinds.Any(k => k.IsCommonFolder && k.Name == f.Name))
                        .Select(f => new CommonFolderFacts(
                            f.Name,
                            machine.VolumeStates[f.Place.Volume].Spell(f.Place.Path),
                            f.Left
                        )),
                ],
                Unproven = machine.Spec.Unproven,
                CannotTell = machine.Spec.CannotTell,
                Backup = Backup(),
                SyncFolders =
                [
                    .. machine.Spec.Accounts.SelectMany(a =>
                        a.SyncFolders.Select(f => new SyncFolderFacts(
                            SyncClient,
                            a.Name,
                            new Place(machine.VolumeStates[0].Identity.Key, $"Accounts/{a.Name}/{f}")
                        ))
                    ),
                ],
            };
        }
    }

    /// <summary>Folders are always found; a library by its card, if that names a preference where it has one.</summary>
    private static bool IsFound(FolderSpec folder, KindCard? card) =>
        !folder.IsLibrary
        || card is not null
            && (folder.Preference is null || card.Pointers.Any(p => p.Syntax == CardPointer.Preference));

    /// <summary>The backup of last night, or of longer ago.</summary>
    private BackupFacts? Backup() =>
        machine.Spec.BackupAgeDays is not { } days
            ? null
            : new BackupFacts(
                new DateTimeOffset(machine.Clock.GetUtcNow().UtcDateTime.Date, TimeSpan.Zero)
                    .AddDays(1 - days)
                    .AddHours(-4),
                [
                    .. machine
                        .VolumeStates.Where(v => v.Spec.System || !machine.Spec.BackupOfSystemAlone)
                        .Select(v => new Place(v.Identity.Key, "")),
                ]
            );

    /// <summary>A receipt that nobody signed who could.</summary>
    private IEnumerable<ReceiptFacts> Forged(List<VolumeFacts> volumes)
    {
        if (machine.Spec.ForgedReceiptFor is not { } account)
            yield break;
        var docket = new Guid(
            System
                .Security.Cryptography.SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(machine.Spec.Name))
                .AsSpan(0, 16)
        );
        yield return new ReceiptFacts(
            docket,
            docket,
            new HoldingName(account, HoldingKind.Folder, "Videos"),
            new Place(volumes[^1].Identity.Key, $"People/{account}/Videos"),
            machine.Clock.GetUtcNow().AddDays(-30),
            12,
            4_000_000_000,
            false,
            false,
            "{}",
            "made-up",
            false
        );
    }

    private RecreatedSource? Again(Place source)
    {
        if (machine.Find(source) is not { Kind: not NodeKind.Link } node)
            return null;
        var there = node.Measure();
        return new RecreatedSource(there.Files, there.Bytes, there.Files == 0 ? null : machine.Clock.GetUtcNow());
    }

    private HoldingFacts Look(string account, FolderSpec spec, KindCard? card)
    {
        var settings = machine.Settings;
        var pointers = settings
            .Addresses(account, spec, card)
            .Select(a => (Address: a, Value: settings.Read(a)))
            .Select(p => new PointerFacts(p.Address, p.Value, settings.PlaceOf(p.Address, p.Value)))
            .ToList();
        if (spec.MadeBy is not null)
            pointers =
            [
                .. pointers.Select(p =>
                    p.Value.Text is null
                        ? p with
                        {
                            Resolves = settings.OwnPlace(StationPointers.InPlace(account, spec.Name)),
                        }
                        : p
                ),
            ];
        var place = pointers[0].Resolves;
        var node = place is null ? null : machine.Find(place);
        var (files, bytes) = node?.Measure() ?? (0, 0);
        if (spec.FixedBy is not null)
            pointers = [.. pointers.Select(p => p with { FixedBy = spec.FixedBy })];
        return new HoldingFacts(
            new HoldingName(account, spec.IsLibrary ? HoldingKind.Library : HoldingKind.Folder, spec.Name),
            place,
            place is null ? pointers[0].Value.Text ?? "" : machine.Volumes.Show(place),
            node is not null,
            pointers,
            files,
            bytes,
            0,
            place is null ? [] : machine.Activity.InUse(place),
            spec.Demands
        )
        {
            Services = spec.Services,
            ServedBy = spec.ServedBy,
            Program = spec.MadeBy is null ? null : card?.Program,
            Stray = spec.Stray,
            CloudOnlyFiles = spec.CloudOnlyFiles,
            CloudOnlyBytes = spec.CloudOnlyFiles * (files == 0 ? 0 : bytes / files),
            Foreign = place is null ? null : OtherHome(account, place),
        };
    }

    /// <summary>Whose home a place lies in, if that is not the account's own: a sentence.</summary>
    private string? OtherHome(string account, Place place)
    {
        foreach (var other in machine.Spec.Accounts.Where(a => a.Name != account))
            if (
                machine.Settings.PlaceOf(
                    machine.Settings.AddressOfHome(other.Name),
                    machine.Settings.Read(machine.Settings.AddressOfHome(other.Name))
                )
                    is { } home
                && place.IsInside(home)
            )
                return $"`{machine.Volumes.Show(place)}` is the home of {other.Name}, or lies in it.";
        return null;
    }

    private HoldingFacts LookAtHome(AccountSpec account)
    {
        var (address, holding) = (
            machine.Settings.AddressOfHome(account.Name),
            new HoldingName(account.Name, HoldingKind.Home, HoldingName.WholeHome)
        );
        var value = machine.Settings.Read(address);
        var place = machine.Settings.PlaceOf(address, value);
        var node = place is null ? null : machine.Find(place);
        var (files, bytes) = node?.Measure() ?? (0, 0);
        return new HoldingFacts(
            holding,
            place,
            value.Text ?? "",
            node is not null,
            [new PointerFacts(address, value, place)],
            files,
            bytes,
            0,
            [],
            Demands.None
        )
        {
            Home = new HomeFacts(
                account.HomeNamedBy,
                account.CacheBytes,
                machine.Spec.Confinement,
                machine.Spec.HomesNameAccounts
            ),
        };
    }

    private HoldingFacts Look(ProgramsSpec programs)
    {
        var pointers = StationPointers
            .AddressesOfPrograms.Select(a => (Address: a, Value: machine.Setting(a.Container, a.Key)))
            .Select(p => new PointerFacts(p.Address, p.Value, StationPointers.Resolve(machine, "", p.Value)))
            .ToList();
        var place = pointers[0].Resolves;
        return new HoldingFacts(
            new HoldingName("", HoldingKind.InstallPath, StationPointers.ProgramsKey),
            place,
            place is null ? pointers[0].Value.Text ?? "" : machine.Volumes.Show(place),
            place is not null && machine.Find(place) is not null,
            pointers,
            0,
            0,
            0,
            [],
            Demands.None
        )
        {
            Installed =
                place == new Place(machine.VolumeStates[0].Identity.Key, programs.Folder) ? programs.Installed : [],
        };
    }

    private HoldingFacts Look(AppVolumeSpec apps)
    {
        var address = StationPointers.AddressOfAppVolume(apps);
        var value = machine.Settings.Read(address);
        var place = machine.Settings.PlaceOf(address, value);
        return new HoldingFacts(
            new HoldingName("", HoldingKind.InstallPath, StationPointers.AppVolumeKey),
            place,
            place is null ? value.Text ?? "" : machine.Volumes.Show(place),
            place is not null,
            [new PointerFacts(address, value, place)],
            0,
            0,
            0,
            [],
            Demands.None
        )
        {
            SmallestBytes = apps.SmallestBytes,
            Immovable = apps.Wants,
        };
    }

    private HoldingFacts Look(AppSpec app)
    {
        var address = StationPointers.AddressOfApp(app.Name);
        var value = machine.Setting(address.Container, address.Key);
        var place = StationPointers.Resolve(machine, "", value);
        var node = place is null ? null : machine.Find(place);
        var (files, bytes) = node?.Measure() ?? (0, 0);
        return new HoldingFacts(
            new HoldingName("", HoldingKind.App, app.Name),
            place,
            value.Text ?? "",
            node is not null,
            [new PointerFacts(address, value, place)],
            files,
            bytes,
            0,
            [],
            Demands.None
        )
        {
            Immovable = app.Immovable
                ?? (
                    machine.Spec.AppVolume is { } own && bytes < own.SmallestBytes
                        ? $"apps below {Words.Size(own.SmallestBytes)} stay on the system volume"
                        : null
                ),
        };
    }

    /// <summary>An update puts one setting back, some time after the relocation was seen to be right.</summary>
    private void Drift(IReadOnlyList<OriginalFacts> originals)
    {
        if (!machine.Spec.Faults.OfType<DriftsBack>().Any() || originals.Count == 0)
            return;
        if (machine.Once("seen switched"))
            return;
        if (!machine.Once("update"))
            return;
        var (account, folder) = (originals[0].Holding.Account, originals[0].Holding.Name);
        lock (machine.Lock)
            machine.SetSetting(
                StationPointers.Current(account),
                folder,
                new PointerValue("expandable", $"%PROFILE%\\{folder}")
            );
    }

    private static IEnumerable<string> Taken(StationNode folder, string path, int level)
    {
        foreach (
            var (name, child) in folder.Children.Where(c => !c.Key.StartsWith(Layout.Prefix, StringComparison.Ordinal))
        )
        {
            var below = path.Length == 0 ? name : path + "/" + name;
            if (
                child.Kind != NodeKind.Folder
                || child.RangeCount > 0
                || child.Children.Keys.Any(k => !k.StartsWith(Layout.Prefix, StringComparison.Ordinal))
            )
                yield return below;
            if (level < 3 && child.Kind == NodeKind.Folder)
                foreach (var deeper in Taken(child, below, level + 1))
                    yield return deeper;
        }
    }
}
