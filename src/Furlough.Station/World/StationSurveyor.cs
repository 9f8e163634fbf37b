using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Station.World;

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

    /// <summary>A holding of one setting, as what it leads to says.</summary>
    private HoldingFacts Measured(HoldingName holding, PointerAddress address, PointerValue value, Place? place)
    {
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
        );
    }

    private HoldingFacts LookAtHome(AccountSpec account)
    {
        var (address, holding) = (
            machine.Settings.AddressOfHome(account.Name),
            new HoldingName(account.Name, HoldingKind.Home, HoldingName.WholeHome)
        );
        var value = machine.Settings.Read(address);
        var place = machine.Settings.PlaceOf(address, value);
        return Measured(holding, address, value, place) with
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
        var holding = Measured(new HoldingName("", HoldingKind.App, app.Name), address, value, place);
        return holding with
        {
            Immovable = app.Immovable
                ?? (
                    machine.Spec.AppVolume is { } own && holding.DataBytes < own.SmallestBytes
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
