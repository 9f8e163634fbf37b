using Furlough.Model;
using Furlough.Station.World;

namespace Furlough.Station;

/// <summary>
/// Calder Fen Field Station: 59 workstations in five rooms, and more of the same where more are wanted. The same seed
/// gives the same station.
/// </summary>
public static class FieldStation
{
    /// <summary>The call with which a machine introduces itself.</summary>
    public const string Enrolling = "/enrol";

    private const long GB = 1_000_000_000;
    private const string Surveying = "/surveys";
    private static readonly string[] People =
    [
        "asa.lind",
        "bo.tarrant",
        "cleo.vasher",
        "dov.marek",
        "ines.quill",
        "juno.hale",
        "kit.sorrel",
        "lior.fenn",
        "mara.ostby",
        "nils.corde",
        "oona.birk",
        "pim.alder",
        "rue.castell",
        "sol.windt",
        "tove.ash",
        "wren.dacey",
        "yara.moss",
        "zeno.pike",
    ];

    /// <summary>The first <paramref name="machines"/> workstations.</summary>
    public static IReadOnlyList<MachineSpec> Make(int machines, ulong seed)
    {
        List<(string Name, string Room)> places =
        [
            .. Row("herb", "Herbarium", 10),
            .. Row("map", "Map Room", 8),
            .. Row("wet", "Wet Lab", 12),
            .. Row("sem", "Seminar Lab", 24),
            .. Enumerable.Range(1, 5).Select(i => ($"cabin-{i}", "Cabin")),
        ];
        for (var i = 1; places.Count < machines; i++)
            places.Add(($"bay-{i:D4}", $"Field Bay {(i - 1) / 40 + 1}"));
        return [.. places.Take(machines).Select((p, i) => One(p.Name, p.Room, FileRange.Mix(seed * 7919 + (ulong)i)))];
    }

    private static IEnumerable<(string, string)> Row(string prefix, string room, int count) =>
        Enumerable.Range(1, count).Select(i => ($"{prefix}-{i:D2}", room));

    private static MachineSpec One(string name, string room, ulong seed)
    {
        var dice = new Dice(seed);
        var accounts = room switch
        {
            "Map Room" => 2 + dice.Next(3),
            "Seminar Lab" => 4 + dice.Next(3),
            "Herbarium" => 2,
            "Wet Lab" => 2 + dice.Next(2),
            _ => 1 + dice.Next(2),
        };
        var first = dice.Next(People.Length);
        if (name == "herb-04")
            first = 0;
        List<AccountSpec> people =
        [
            new AccountSpec("keeper", 1900, true, [new FolderSpec("Documents", 12, 0, 20_000_000, "note", ".txt")]),
        ];
        for (var i = 0; i < accounts; i++)
            people.Add(Person(People[(first + i) % People.Length], (uint)(1000 + first + i), room, i == 0, dice));
        people = [.. people.Select((p, i) => Oddity(name, p, isFirst: i == 1))];
        var apps = AppsOf(room);
        var volumes = Volumes(name, room, people, dice);
        volumes[0] = volumes[0] with { OtherBytes = volumes[0].OtherBytes - apps.Sum(a => a.DataBytes) };
        var heron = name == "herb-02";
        if (heron)
            volumes = [.. volumes.Select(v => v with { Letter = v.System ? "/" : $"/Volumes/{v.Label}" })];
        return new MachineSpec(
            name,
            room,
            heron ? "Heron Desk 9 (stand-in)" : "Fenland Desk 4 (stand-in)",
            seed,
            volumes,
            people,
            Faults(name, people)
        )
        {
            Apps = apps,
            CommonFolders =
                room == "Seminar Lab"
                    ? [new CommonFolderSpec("course-desk", new SpecPlace(0, "Course desk"), [.. LeftOn(name, people)])]
                    : [],
            SettingsBehindCommands = heron,
            Programs = new ProgramsSpec("Programs", ProgramsOf(room), name == "wet-12" ? "D:\\Tools" : null),
            AppVolume =
                room == "Wet Lab"
                    ? new AppVolumeSpec(
                        "Apps",
                        GB,
                        name == "wet-12" ? "the system has such a setting from Fenland Desk 5 on" : null
                    )
                    : null,
            HomesNameAccounts = name == "cabin-1",
            Confinement =
                name == "cabin-2"
                    ? new Confinement(
                        "Fenland Guard",
                        ["C:\\Accounts"],
                        "Add the new place to the guard's list of homes, or accept it."
                    )
                    : null,
            OnBattery = name == "cabin-3",
            Unproven = name == "cabin-5",
            CannotTell = name is "cabin-5" or "wet-11",
            RestartPending = name == "cabin-3",
            BackupAgeDays = name switch
            {
                "cabin-3" => 40,
                "cabin-5" => null,
                _ => 1,
            },
            BackupOfSystemAlone = name == "cabin-4",
            ForgedReceiptFor = name == "cabin-3" ? people[1].Name : null,
            SurveyAge = name == "cabin-3" ? TimeSpan.FromDays(5) : TimeSpan.Zero,
            LeavesAfter = name switch
            {
                "cabin-3" => Surveying,
                "sem-24" => Enrolling,
                _ => null,
            },
        };
    }

    /// <summary>What the station's technician installs on the desks of a room.</summary>
    private static IReadOnlyList<string> ProgramsOf(string room) =>
        room switch
        {
            "Herbarium" => ["field browser", "label printer", "sheet editor", "specimen viewer"],
            "Wet Lab" => ["assay reader", "field browser", "sheet editor"],
            "Cabin" => ["field browser", "map editor", "sheet editor", "wildlife camera"],
            _ => ["field browser", "map editor", "sheet editor"],
        };

    /// <summary>What their system lists as apps, and which of them it lets be moved.</summary>
    private static List<AppSpec> AppsOf(string room) =>
        [
            .. ProgramsOf(room)
                .Select(p =>
                    p switch
                    {
                        "field browser" => new AppSpec(p, 900, 600_000_000, "it comes with the system"),
                        "sheet editor" => new AppSpec(
                            p,
                            1_400,
                            1_200_000_000,
                            "the system lets it be moved from its next version on"
                        ),
                        "specimen viewer" => new AppSpec(p, 3_200, 9 * GB),
                        "map editor" => new AppSpec(p, 2_600, 7 * GB),
                        _ => new AppSpec(p, 250, 300_000_000),
                    }
                ),
        ];

    /// <summary>Between courses the lab's common folders should be empty; on two desks someone forgot.</summary>
    private static IEnumerable<LeftFiles> LeftOn(string name, List<AccountSpec> people) =>
        name switch
        {
            "sem-07" =>
            [
                new LeftFiles(people[1].Name, 14, 260_000_000, LastCourse),
                new LeftFiles(people[2].Name, 3, 41_000_000, LastCourse.AddHours(2)),
            ],
            "sem-16" => [new LeftFiles(people[1].Name, 1, 1_900_000_000, LastCourse.AddDays(1))],
            _ => [],
        };

    private static readonly DateTimeOffset LastCourse = new(2026, 11, 6, 15, 20, 0, TimeSpan.Zero);

    /// <summary>What a technician runs into on the crews' laptops, where nobody has looked for years.</summary>
    private static AccountSpec Oddity(string name, AccountSpec account, bool isFirst) =>
        name switch
        {
            "herb-02" when isFirst => account with { Folders = [.. account.Folders, SpecimenIndex] },
            "cabin-1" when isFirst => Half(account) with { SignedIn = true },
            "cabin-2" when isFirst => account with
            {
                QuotaBytes = GB,
                HomeNamedBy = [$"the timetable of {account.Name}"],
                CacheBytes = 3 * GB,
            },
            "cabin-3" when account.Fallback => account with { Fallback = false },
            "cabin-3" when isFirst => Directed(account),
            "cabin-4" when isFirst => Synced(account),
            "cabin-5" when isFirst => Portable(account),
            _ => account,
        };

    private static AccountSpec With(AccountSpec account, Func<FolderSpec, FolderSpec> change) =>
        account with
        {
            Folders = [.. account.Folders.Select(change)],
        };

    /// <summary>Someone began to relocate manually and was called away.</summary>
    private static AccountSpec Half(AccountSpec account) => With(account, f => f.Name switch
            {
                "Pictures" => f with { OlderSetting = $"E:\\Old\\{account.Name}\\Pictures" },
                "Music" => f with { LivesAt = new SpecPlace(1, $"People/{account.Name}/Music") },
                "Videos" => f with { CopyAt = new SpecPlace(1, $"People/{account.Name}/Videos") },
                "Downloads" => f with { IsLost = true },
                _ => f,
            });

    /// <summary>
    /// An account of the directory, whose Documents lead to the fallback account's, and Music into its own Pictures.
    /// </summary>
    private static AccountSpec Directed(AccountSpec account) =>
        With(account with { FromDirectory = true }, f => f.Name switch
            {
                "Documents" => f with { LivesAt = new SpecPlace(0, "Accounts/keeper/Documents") },
                "Music" => f with { LivesAt = new SpecPlace(0, $"Accounts/{account.Name}/Pictures/Music") },
                _ => f,
            });

    /// <summary>
    /// A home that follows its account, with a cloud drive in it, services at work and a rule of the administration.
    /// </summary>
    private static AccountSpec Synced(AccountSpec account) =>
        With(account with { Roams = true, SyncFolders = ["Documents", "Bramble"] }, f => f.Name switch
            {
                "Documents" => f with { CloudOnlyFiles = 120 },
                "Pictures" => f with
                {
                    LivesAt = new SpecPlace(1, $"{account.Name}/Pictures"),
                    Stray = new StrayFolder($"C:\\Accounts\\{account.Name}\\Pictures", 31, 240_000_000),
                },
                "Music" => f with
                {
                    LivesAt = new SpecPlace(1, $"{account.Name}/Pictures/Songs"),
                    FixedBy = "a rule of the station's administration sets it",
                },
                "Videos" => f with { Services = ["wildlife camera service"], ServedBy = ["the share `films`"] },
                "Downloads" => f with
                {
                    LivesAt = new SpecPlace(0, $"Accounts/{account.Name}/.field-browser/Downloads"),
                },
                _ => f,
            });

    /// <summary>The library of the station's sound recorder, which expects the folder around it.</summary>
    private static FolderSpec Recordings(string account) =>
        new("recordings", 140, 0, 2 * GB, "dawn", ".flac")
        {
            Adds = "Recordings",
            LivesAt = new SpecPlace(0, $"Accounts/{account}/Studio/Recordings"),
        };

    /// <summary>A book of a course's notes, which its program makes when it is started for the first time.</summary>
    private static FolderSpec FieldBook { get; } =
        new("field-book", 1, 0, 0, "index", ".fbk") { MadeBy = "/programs/field-book" };

    /// <summary>The index of the Heron desk's specimen viewer, whose place is one of its preferences.</summary>
    private static FolderSpec SpecimenIndex { get; } =
        new("specimen-index", 4_200, 4_000, 3 * GB, "plate", ".idx")
        {
            Preference = ("station.specimen-viewer", "IndexPath"),
        };

    /// <summary>Files that many file systems cannot store, and an archive on a crew's own volume.</summary>
    private static AccountSpec Portable(AccountSpec account) =>
        With(account with { Folders = [.. account.Folders, Recordings(account.Name)] }, f => f.Name switch
            {
                "Documents" => f with { Demands = Demanding },
                "Pictures" => f with
                {
                    LivesAt = new SpecPlace(1, "Archive/Pictures"),
                    Files = 60_000,
                    DataBytes = 360 * GB,
                },
                "Music" => f with { LivesAt = new SpecPlace(1, "Archive/Sounds") },
                _ => f,
            });

    private static Demands Demanding { get; } =
        new(
            [
                new Demand(DemandKind.Links, 3, "transects/latest"),
                new Demand(DemandKind.HardLinks, 2, "transects/2024/sheet.ods"),
                new Demand(DemandKind.Holes, 1, "recorder/dump.raw"),
                new Demand(DemandKind.Attributes, 40, "transects/2023/map.ods"),
                new Demand(DemandKind.NamesByCase, 2, "Fen/notes.txt"),
                new Demand(DemandKind.OddNames, 5, "2022: spring?"),
                new Demand(DemandKind.DeviceNodes, 1, "recorder/dev/tape"),
                new Demand(DemandKind.LinksElsewhere, 1, "transects/shared"),
                new Demand(DemandKind.Unchangeable, 1, "recorder/seal"),
                new Demand(DemandKind.NotHere, 12, "transects/2019/north.tif"),
                new Demand(DemandKind.FactsNotKept, 3, "transects/latest"),
            ],
            6 * GB,
            4_090
        );

    private static AccountSpec Person(string name, uint id, string room, bool heavy, Dice dice)
    {
        FolderSpec Of(string folder, double gigabytes, double megabytesEach, string stem, string ending, int small = 0)
        {
            var bytes = (long)(gigabytes * dice.Between(0.6, 1.5) * GB);
            return new FolderSpec(
                folder,
                (int)Math.Max(3, bytes / (megabytesEach * 1e6)) + small,
                small,
                bytes + small * 4_000L,
                stem,
                ending
            );
        }

        return room switch
        {
            "Herbarium" => new AccountSpec(
                name,
                id,
                false,
                [
                    Of("Documents", 3, 1.2, "label-sheet", ".ods"),
                    Of(
                        "Pictures",
                        heavy ? 190 : 40,
                        46,
                        "specimen",
                        ".tif",
                        heavy ? 30_000 + dice.Next(20_000) : 4_000
                    ),
                    Of("Music", 0.3, 6, "birdsong", ".flac"),
                    Of("Videos", 4, 400, "microscope", ".mkv"),
                    Of("Downloads", 6, 14, "download", ".zip"),
                ]
            ),
            "Wet Lab" => new AccountSpec(
                name,
                id,
                false,
                [
                    Of("Documents", 5, 0.8, "assay", ".csv"),
                    Of("Pictures", 8, 5, "gel", ".png"),
                    Of("Music", 0.2, 6, "playlist", ".flac"),
                    Of("Videos", 9, 300, "settling", ".mkv"),
                    Of("Downloads", 4, 9, "download", ".zip"),
                ]
            ),
            "Seminar Lab" => new AccountSpec(
                name,
                id,
                false,
                [
                    FieldBook,
                    Of("Documents", 0.6, 0.5, "count-sheet", ".ods"),
                    Of("Pictures", 2.2, 4, "field", ".jpg"),
                    Of("Music", 0.4, 6, "birdsong", ".flac"),
                    Of("Videos", 1.5, 120, "talk", ".mkv"),
                    Of("Downloads", 1.2, 8, "download", ".zip"),
                ]
            ),
            _ => new AccountSpec(
                name,
                id,
                false,
                [
                    Of("Documents", 6, 1, "transect", ".ods"),
                    Of("Pictures", 14, 6, "aerial", ".jpg"),
                    Of("Music", 2, 8, "recording", ".flac"),
                    Of("Videos", 7, 350, "survey", ".mkv"),
                    Of("Downloads", 5, 12, "download", ".zip"),
                ]
            ),
        };
    }

    private static List<VolumeSpec> Volumes(string name, string room, List<AccountSpec> people, Dice dice)
    {
        var data = people.Sum(p => p.Folders.Where(f => f.LivesAt is null or { Volume: 0 }).Sum(f => f.DataBytes));
        var (size, solid) = room switch
        {
            "Herbarium" => (480 * GB, true),
            "Map Room" => (240 * GB, true),
            "Wet Lab" => (160 * GB, false),
            _ => (256 * GB, true),
        };
        var other = Math.Max(25 * GB, (long)((size - data) * dice.Between(0.55, 0.92)));
        if (data + other > size)
            size = (data + other) / GB * GB + 8 * GB;
        List<VolumeSpec> volumes =
        [
            solid ? Solid("C:", "System", size, other, true) : Rotating("C:", "System", size, other, true),
        ];
        volumes.Add(
            name switch
            {
                "map-06" => new VolumeSpec(
                    "E:",
                    "STICK",
                    Attachment.Removable,
                    Medium.Solid,
                    "small-fat",
                    64 * GB,
                    20 * GB,
                    false,
                    false,
                    18e6,
                    60
                )
                {
                    RootOpen = true,
                },
                "cabin-5" => new VolumeSpec(
                    "E:",
                    "CREW",
                    Attachment.External,
                    Medium.Rotating,
                    "exchange-fat",
                    1_000 * GB,
                    40 * GB,
                    false,
                    false,
                    95e6,
                    90
                ),
                _ when room == "Cabin" => Rotating("E:", "Crew", 1_000 * GB, 30 * GB, false) with
                {
                    Attached = Attachment.External,
                },
                _ when room == "Herbarium" => Rotating("D:", "Data", 4_000 * GB, 300 * GB, false),
                _ when room == "Wet Lab" => Rotating("D:", "Data", 500 * GB, 60 * GB, false) with
                {
                    BytesPerSecond = 70e6,
                },
                _ => Rotating("D:", "Data", 1_000 * GB, 80 * GB, false),
            }
        );
        if (room == "Seminar Lab" && string.CompareOrdinal(name, "sem-06") <= 0)
            volumes.Add(
                Rotating("P:", people[1].Name, 500 * GB, 20 * GB, false) with
                {
                    Attached = Attachment.External,
                }
            );
        if (name == "cabin-4")
            volumes.Add(
                new VolumeSpec(
                    "N:",
                    "Shared",
                    Attachment.Network,
                    Medium.Unknown,
                    "network",
                    8_000 * GB,
                    900 * GB,
                    false,
                    true,
                    60e6,
                    120
                )
            );
        return volumes;
    }

    private static List<ScriptedFault> Faults(string name, List<AccountSpec> people)
    {
        var person = people[1].Name;
        return name switch
        {
            "herb-04" => [new UnreadableFile(person, "Pictures", "plots/2019/quadrat-77.tif")],
            "wet-07" => [new VolumeFills(2 * GB)],
            "cabin-1" => [new PutsOff(person)],
            "cabin-2" => [new NetworkCut(2 * GB, TimeSpan.FromSeconds(75))],
            "sem-11" => [new HeldOpen(person, "Documents", "sheet editor", "sheets\\count-sheet-000001.ods")],
            "sem-19" => [new DriftsBack()],
            "herb-09" => [new PowerLoss()],
            _ => [],
        };
    }

    private static VolumeSpec Solid(string letter, string label, long size, long other, bool system) =>
        new(letter, label, Attachment.Internal, Medium.Solid, "journalled", size, other, system, true, 420e6, 2_500);

    private static VolumeSpec Rotating(string letter, string label, long size, long other, bool system) =>
        new(letter, label, Attachment.Internal, Medium.Rotating, "journalled", size, other, system, true, 140e6, 160);

    private sealed class Dice(ulong seed)
    {
        private ulong _state = seed;

        internal int Next(int below) => (int)(Draw() % (ulong)below);

        internal double Between(double low, double high) => low + (high - low) * (Draw() % 10_000 / 10_000.0);

        private ulong Draw() => FileRange.Mix(_state++);
    }
}
