using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Planning.Forecasts;
using Furlough.Planning.Kinds;
using Furlough.Planning.Suggestions;
using Shouldly;
using Xunit;
using static Furlough.Planning.Tests.Desks;

namespace Furlough.Planning.Tests;

/// <summary>Kind cards, and libraries in briefs.</summary>
public sealed class KindCardTests
{
    private const string Good = """
        furlough-kind: 1
        name: sketches
        title: Sketch books
        systems: ["Debian*"]
        pointers:
          - {file: "{home}/.config/sketcher/settings.ini", syntax: ini, key: library/path}
          - {file: "{home}/.sketcher.json", syntax: json, key: roots/0, wants: parent, adds: Sketches}
          - {link: "{home}/sketches"}
        """;

    [Fact]
    public void A_card_is_read_and_the_sample_is_one()
    {
        var card = KindCardReader.Read(Good);
        (card.Name, card.Title, card.Systems.Single()).ShouldBe(("sketches", "Sketch books", "Debian*"));
        card.Pointers.ShouldBe([
            new("ini", "{home}/.config/sketcher/settings.ini", "library/path", PointerShape.Folder, null),
            new("json", "{home}/.sketcher.json", "roots/0", PointerShape.Parent, "Sketches"),
            new("link", "{home}/sketches", "", PointerShape.Folder, null),
        ]);
        KindCardReader
            .Read(Good.Replace("link:", "fixed:", StringComparison.Ordinal))
            .Pointers[^1]
            .ShouldBe(new("link", "{home}/sketches", "", PointerShape.Folder, null) { InPlace = true });
        KindCardReader
            .Read(
                Good.Replace(
                    "link: \"{home}/sketches\"",
                    @"registry: Software\Sketcher, value: Library",
                    StringComparison.Ordinal
                )
            )
            .Pointers[^1]
            .ShouldBe(new("registry", @"Software\Sketcher", "Library", PointerShape.Folder, null));
        KindCardReader
            .Read(
                Good.Replace(
                    "link: \"{home}/sketches\"",
                    "preference: station.sketcher, key: Library",
                    StringComparison.Ordinal
                )
            )
            .Pointers[^1]
            .ShouldBe(new("preference", "station.sketcher", "Library", PointerShape.Folder, null));
        KindCardReader
            .Read(Kept)
            .Pointers.ShouldBe([
                new("command", "/usr/bin/sketcher", "get library", PointerShape.Folder, null)
                {
                    Commands = new(
                        ["/usr/bin/sketcher", "get", "library"],
                        ["/usr/bin/sketcher", "set", "--to={value}"],
                        []
                    ),
                },
            ]);
        KindCardReader.Read(KindCardReader.Sample).Pointers.Count.ShouldBe(1);
        var every = KindCardReader
            .Sample.Replace("# of: machine ", "# no: machine ", StringComparison.Ordinal)
            .Split('\n')
            .Where(l =>
                !l.StartsWith("# launcher", StringComparison.Ordinal)
                && !l.StartsWith("# opens", StringComparison.Ordinal)
                && !l.StartsWith("# first-start", StringComparison.Ordinal)
            )
            .Select(l =>
                l is ['#', ' ', >= 'a' and <= 'z', ..] && !l.StartsWith("# no", StringComparison.Ordinal) ? l[2..] : l
            );
        KindCardReader
            .Read(string.Join('\n', every))
            .ShouldSatisfyAllConditions(
                k => k.Holds.ShouldBe(HoldingKind.InstallPath),
                k => k.Lists.ShouldBe("lib/tools"),
                k => k.Program!.Says.Count.ShouldBe(2)
            );
    }

    [Theory]
    [InlineData("launcher: ../sketcher.desktop", "is not a name of a launcher's entry")]
    [InlineData("opens: [sketcher, \"{library}\"]", "may be another program in every account")]
    [InlineData("first-start: [sketcher]", "may be another program in every account")]
    [InlineData(
        "first-start: [/usr/bin/sketcher, init]\nusual: \"{home}/Sketches\"",
        "Where there is no library yet, nothing says"
    )]
    [InlineData(
        "holds: install-path\nusual: \"{home}/elsewhere\"\nfirst-start: [/usr/bin/sketcher]",
        "An install path has no `first-start`"
    )]
    [InlineData("opens: [/usr/bin/sketcher]", "does not say once where the library is")]
    [InlineData(
        "holds: install-path\nusual: \"{home}/elsewhere\"\nlauncher: sketcher.desktop",
        "An install path has no `launcher`"
    )]
    public void A_library_s_launcher_and_shortcut_are_read_and_wrong_ones_refused(string line, string words)
    {
        KindCardReader
            .Read(
                Good.Replace(
                    "systems:",
                    "launcher: sketcher.desktop\nopens: [/usr/bin/sketcher, \"--in={library}\"]\nsystems:",
                    StringComparison.Ordinal
                )
            )
            .Program.ShouldSatisfyAllConditions(
                p => p!.Launcher.ShouldBe("sketcher.desktop"),
                p => p!.Opens.ShouldBe(["/usr/bin/sketcher", "--in={library}"]),
                p => p!.Mends.ShouldBeTrue()
            );
        KindCardReader
            .Read(
                Good.Replace(
                    "systems:",
                    "first-start: [/usr/bin/sketcher, init]\nfound-by: /usr/bin/sketcher\nusual: \"{home}/Sketches\"\nsystems:",
                    StringComparison.Ordinal
                )
            )
            .Program!.FirstStart.ShouldBe(["/usr/bin/sketcher", "init"]);
        Should
            .Throw<KindCardException>(() =>
                KindCardReader.Read(Good.Replace("systems:", line + "\nsystems:", StringComparison.Ordinal))
            )
            .Message.ShouldContain(words);
    }

    [Fact]
    public void A_card_of_a_folder_that_should_be_empty_has_a_place_and_no_settings()
    {
        const string card =
            "furlough-kind: 1\nname: course-desk\ntitle: Common\nholds: common-folder\nusual: /srv/course\n";
        KindCardReader
            .Read(card)
            .ShouldSatisfyAllConditions(
                k => k.IsCommonFolder.ShouldBeTrue(),
                k => k.Usual.ShouldBe("/srv/course"),
                k => k.Pointers.ShouldBeEmpty()
            );
        Should
            .Throw<KindCardException>(() =>
                KindCardReader.Read(card.Replace("/srv/course", "\"{home}/course\"", StringComparison.Ordinal))
            )
            .Message.ShouldContain("lies in a home, and the machine has none");
        Should
            .Throw<KindCardException>(() =>
                KindCardReader.Read(card.Replace("usual: /srv/course\n", "", StringComparison.Ordinal))
            )
            .Message.ShouldContain("`usual` is missing");
        Should
            .Throw<KindCardException>(() => KindCardReader.Read(card + "pointers: [{link: \"{home}/sketches\"}]\n"))
            .Message.ShouldContain("A folder that should be empty has no `pointers`");
    }

    private const string Kept = """
        furlough-kind: 1
        name: sketches
        title: Sketch books
        pointers:
          - reads: [/usr/bin/sketcher, get, library]
            writes: [/usr/bin/sketcher, set, "--to={value}"]
        """;

    [Theory]
    [InlineData("[/usr/bin/sketcher, get, library]", "[sketcher, get]", "may be another program in every account")]
    [InlineData("--to={value}", "--to", "does not say once where the new value goes")]
    [InlineData("    writes: [/usr/bin/sketcher, set, \"--to={value}\"]", "    adds: x", "`writes` is missing")]
    [InlineData("    writes:", "    syntax: ini\n    writes:", "A setting that commands keep has no `syntax`")]
    public void A_wrong_card_with_commands_is_refused(string part, string wrong, string words) =>
        Should
            .Throw<KindCardException>(() => KindCardReader.Read(Kept.Replace(part, wrong, StringComparison.Ordinal)))
            .Message.ShouldContain(words);

    [Theory]
    [InlineData("furlough-kind: 1", "furlough-kind: 2", "line 1, column 16: Version 2 of kind cards is not known.")]
    [InlineData("name: sketches", "name: Sketches!", "is not a name of a kind")]
    [InlineData("name: sketches", "name: home", "the product knows itself")]
    [InlineData("title: Sketch books", "titel: x", "`titel` is not a key of the card. Perhaps `title` is meant.")]
    [InlineData("syntax: ini", "syntax: inn", "Files of the syntax `inn` cannot be changed. Perhaps `ini` is meant.")]
    [InlineData("\"{home}/.config/sketcher/settings.ini\"", "/etc/shadow", "lies in nobody's home")]
    [InlineData("\"{home}/.config/sketcher/settings.ini\"", "\"{home}/../keeper/x\"", "has a part that is empty")]
    [InlineData("\"{home}/.config/sketcher/settings.ini\"", "\"{home}/{folder}\"", "`{folder}` is not a variable.")]
    [InlineData("key: library/path", "key: library//path", "has an empty part")]
    [InlineData(", adds: Sketches", "", "does not say what the program adds")]
    [InlineData("wants: parent, ", "", "adds no name")]
    [InlineData("adds: Sketches", "adds: ..", "is not a folder name")]
    [InlineData("wants: parent", "wants: child", "is not known here")]
    [InlineData("title: Sketch books", "title: &a Sketch books", "Anchors and aliases are not used in a kind card.")]
    [InlineData("syntax: json", "link: \"{home}/sketches\"", "A link has no `file`.")]
    [InlineData("title: Sketch books", "name: twice", "Duplicate key")]
    [InlineData(
        "link: \"{home}/sketches\"",
        @"registry: HKEY_CURRENT_USER\Software, value: x",
        "is not a path below an account's part of the registry"
    )]
    [InlineData("link: \"{home}/sketches\"", @"registry: Software\Sketcher", "`value` is missing")]
    [InlineData(
        "link: \"{home}/sketches\"",
        "preference: /Library/x.plist, key: Library",
        "is not a domain of a program's preferences"
    )]
    [InlineData("link: \"{home}/sketches\"", "preference: station.sketcher", "`key` is missing")]
    [InlineData(
        "link: \"{home}/sketches\"",
        "preference: station.sketcher, key: x, link: \"{home}/y\"",
        "A preference has no `link`."
    )]
    [InlineData("link: \"{home}/sketches\"", "fixed: /opt/sketches", "lies in nobody's home")]
    [InlineData(
        "link: \"{home}/sketches\"",
        "fixed: \"{home}/sketches\", link: \"{home}/elsewhere\"",
        "A fixed path has no `link`."
    )]
    [InlineData("title: Sketch books", "title: x\nholds: app", "No card is for a holding of the kind app")]
    [InlineData(
        "systems: [\"Debian*\"]\npointers:",
        "holds: install-path\nusual: \"{home}/elsewhere\"\npointers:\n  - {fixed: \"{home}/elsewhere\"}",
        "Nothing moves of an install path"
    )]
    public void A_wrong_card_is_refused_with_its_place(string part, string wrong, string words) =>
        Should
            .Throw<KindCardException>(() => KindCardReader.Read(Good.Replace(part, wrong, StringComparison.Ordinal)))
            .Message.ShouldContain(words);

    private const string Path = """
        furlough-kind: 1
        name: packages
        title: What the packer installs
        holds: install-path
        found-by: /usr/bin/packer
        usual: "{home}/.packer"
        lists: lib
        closed: [packer]
        says: [/usr/bin/packer, where]
        pointers:
          - {file: "{home}/.packerrc", syntax: properties, key: prefix}
        """;

    [Fact]
    public void A_card_may_hold_an_install_path_and_those_that_come_with_the_product_are_good()
    {
        var card = KindCardReader.Read(Path);
        (card.Holds, card.Shared, card.FoundBy, card.Usual, card.Lists).ShouldBe(
            (HoldingKind.InstallPath, false, "/usr/bin/packer", "{home}/.packer", "lib")
        );
        card.Program!.ShouldSatisfyAllConditions(
            p => p.Closed.ShouldBe(["packer"]),
            p => p.Says.ShouldBe(["/usr/bin/packer", "where"])
        );
        KindCardReader
            .Read(
                Path.Replace("holds: install-path", "holds: install-path\nof: machine", StringComparison.Ordinal)
                    .Replace("{home}/.packerrc", "/etc/packer/rc", StringComparison.Ordinal)
                    .Replace("{home}/.packer", "/opt/packer", StringComparison.Ordinal)
            )
            .Shared.ShouldBeTrue();
        BuiltInKinds
            .All.Select(k => k.Card.Name)
            .ShouldBe(["browser-downloads", "desktop-apps", "node-packages", "python-packages"]);
        BuiltInKinds.All.ShouldAllBe(k => k.Card.Holds == HoldingKind.InstallPath);
    }

    [Theory]
    [InlineData("holds: install-path", "holds: folder", "No card is for a holding of the kind folder.")]
    [InlineData("holds: install-path", "holds: home", "No card is for a holding of the kind home.")]
    [InlineData("holds: install-path", "holds: install-path\nof: room", "`room` has no holdings.")]
    [InlineData("holds: install-path", "holds: install-path\nof: machine", "lies in a home, and the machine has none")]
    [InlineData("usual: \"{home}/.packer\"\n", "", "does not say where things go")]
    [InlineData("usual: \"{home}/.packer\"", "usual: .packer", "is not a whole path")]
    [InlineData("found-by: /usr/bin/packer", "found-by: /usr/../etc/shadow", "is not a whole path")]
    [InlineData("lists: lib", "lists: ../lib", "is not a path below an install path")]
    [InlineData("closed: [packer]", "closed: [/usr/bin/packer]", "is not a name of a process")]
    [InlineData("says: [/usr/bin/packer, where]", "says: [packer, where]", "may be another program in every account")]
    [InlineData("says: [/usr/bin/packer, where]", "says: {run: packer}", "not a plain text")]
    public void A_wrong_card_of_an_install_path_is_refused(string part, string wrong, string words) =>
        Should
            .Throw<KindCardException>(() => KindCardReader.Read(Path.Replace(part, wrong, StringComparison.Ordinal)))
            .Message.ShouldContain(words);

    private static HoldingFacts Programs(string account = "asa.lind") =>
        Holding("programs", 0, account, new Place("sys", "Programs")) with
        {
            Name = new HoldingName(account, HoldingKind.InstallPath, "programs"),
            Program = new OwnProgram(["packer"], []),
        };

    private static Brief InstallPaths(string path = "Programs/{account}") =>
        Brief("folders: [Documents, Pictures]", "install-paths: [programs]") is var b
            ? b with
            {
                Relocate = [b.Relocate[0] with { Path = Template.Parse(path) }],
            }
            : null!;

    [Fact]
    [Shows("programs-stay")]
    public void Of_install_paths_only_settings_change_and_what_is_installed_is_said_to_stay()
    {
        var plan = Plan(
            InstallPaths(),
            Survey(
                [Small(1), Data()],
                Programs() with
                {
                    Installed = ["a", "b", "c"],
                },
                Programs(""),
                Holding("programs")
            )
        );
        plan.Relocations.Select(r => (r.Holding.ToString(), r.Method, r.TargetShown))
            .ShouldBe(
                [
                    ("programs of asa.lind", Method.Setting, "D:\\Programs\\asa.lind"),
                    ("programs of the machine", Method.Setting, "D:\\Programs\\shared"),
                ],
                ignoreOrder: true
            );
        plan.Relocations.ShouldAllBe(r => r.Program!.Closed.Single() == "packer" && r.Forecast!.Outage == Span.None);
        plan.Hazards.Single(h => h.Code == "programs-stay")
            .ShouldSatisfyAllConditions(
                h => h.Severity.ShouldBe(Severity.Advice),
                h => h.Text.ShouldContain("on herb-01 stays there: a, b, c.")
            );
        plan.Machines.Single().Volumes.ShouldAllBe(v => v.LowestFreeBytes == v.FreeBytes);
    }

    [Fact]
    public void Twins_that_disagree_block_and_a_setting_that_says_nothing_keeps_no_folder_from_moving()
    {
        var twins = Programs("") with
        {
            Pointers =
            [
                .. Programs("").Pointers,
                new PointerFacts(
                    new PointerAddress("test", "older", "programs", ""),
                    new PointerValue("text", "E:\\x"),
                    null
                ),
            ],
        };
        Plan(InstallPaths("Programs"), Survey([Small(), Data()], twins))
            .Relocations.Single()
            .Blocked.ShouldBe(["pointers-disagree"]);
        var downloads = Holding("Downloads");
        HoldingFacts Browser(string? value) =>
            Programs() with
            {
                Place = downloads.Place,
                Pointers =
                [
                    new PointerFacts(
                        new PointerAddress("json", "Preferences", "downloads", "asa.lind"),
                        value is null ? PointerValue.Absent : new PointerValue("text", value),
                        downloads.Place
                    ),
                ],
            };
        var brief = Brief("folders: [Documents, Pictures]", "folders: [Downloads]");
        Plan(brief, Survey([Small(), Data()], downloads, Browser(null))).Relocations.Single().Blocked.ShouldBeEmpty();
        Plan(brief, Survey([Small(), Data()], downloads, Browser("x")))
            .Relocations.Single()
            .Blocked.ShouldBe(["holding-inside"]);
    }

    [Theory]
    [InlineData("install-paths: [programs]\n    method: cold", "`method` is for data")]
    [InlineData("install-paths: [programs]\n    folders: [Music]", "`folders` is for data")]
    [InlineData("install-paths: [programs]\n    leave: link", "`leave` is for data")]
    [InlineData("folders: [Music]\n    method: setting", "`setting` is the method of install paths")]
    public void An_item_is_for_data_or_for_install_paths(string keys, string words) =>
        Should.Throw<BriefException>(() => Brief("folders: [Documents, Pictures]", keys)).Message.ShouldContain(words);

    [Fact]
    public void A_brief_names_libraries_by_their_kinds()
    {
        var brief = Brief("folders: [Documents, Pictures]", "libraries: [sketches]");
        var library = Holding("sketches") with { Name = new HoldingName("asa.lind", HoldingKind.Library, "sketches") };
        Plan(brief, Survey([Small(), Data()], Holding("Pictures"), library))
            .Relocations.Single()
            .ShouldSatisfyAllConditions(
                r => r.Holding.Kind.ShouldBe(HoldingKind.Library),
                r => r.TargetShown.ShouldEndWith("\\sketches")
            );
        Plan(Brief(), Survey([Small(), Data()], library)).Relocations.ShouldBeEmpty();
    }

    [Fact]
    public void A_suggestion_names_libraries_as_libraries()
    {
        var library = Holding("sketches", 30 * GB) with
        {
            Name = new HoldingName("asa.lind", HoldingKind.Library, "sketches"),
        };
        var machine = Machine(Survey([Small(), Data()], Holding("Pictures", 30 * GB), library));
        var wish = new SpaceWish(new MachineChoice([], [], []), 60 * GB, null, ReserveAmount.None, Weights.Usual);
        var suggested = FleetSuggestion.Brief(
            "All of it",
            wish,
            new FleetSuggestion(wish, Experience.None).Of([machine])
        )!;
        suggested.ShouldContain("libraries: [sketches]");
        Plan(BriefReader.Read(suggested), machine)
            .Relocations.Select(r => r.Holding.Name)
            .ShouldBe(["Pictures", "sketches"], ignoreOrder: true);
    }

    [Fact]
    [Shows("pointer-shape")]
    public void A_setting_that_names_a_volume_alone_wants_the_program_s_own_folder_on_it()
    {
        var apps = Programs("") with
        {
            Pointers =
            [
                new PointerFacts(
                    new PointerAddress("test", "machine", "programs", "") { Adds = "Apps", NamesVolume = true },
                    new PointerValue("volume", "C:"),
                    new Place("sys", "Apps")
                ),
            ],
        };
        Plan(InstallPaths("Apps"), Survey([Small(), Data()], apps)).Hazards.ShouldBeEmpty();
        foreach (var path in (string[])["Programs", "Programs/Apps"])
            Plan(InstallPaths(path), Survey([Small(), Data()], apps))
                .Hazards.Single()
                .ShouldSatisfyAllConditions(
                    h => h.Code.ShouldBe("pointer-shape"),
                    h => h.Text.ShouldEndWith("names a volume alone; what is there goes into `D:\\Apps`."),
                    h => h.Remedy.ShouldBe("Let the path be `Apps`.")
                );
    }

    [Fact]
    [Shows("setting-not-there", "small-apps-stay")]
    public void Apps_that_are_too_small_stay_and_are_listed_and_a_system_without_the_setting_is_left_alone()
    {
        var apps = Programs("") with { SmallestBytes = GB };
        HoldingFacts App(string name, long bytes) =>
            Holding(name, bytes, "") with
            {
                Name = new HoldingName("", HoldingKind.App, name),
            };
        var hazard = Plan(
            InstallPaths("Programs"),
            Survey([Small(), Data()], apps, App("field browser", GB / 2), App("map editor", 2 * GB))
        )
            .Hazards.Single();
        hazard.ShouldSatisfyAllConditions(
            h => h.Code.ShouldBe("small-apps-stay"),
            h => h.Severity.ShouldBe(Severity.Advice),
            h =>
                h.Text.ShouldBe(
                    "Apps below 1.0 GB stay on the system volume of herb-01. So do those of that size that are there: field browser."
                )
        );
        Plan(
            InstallPaths("Programs"),
            Survey([Small(), Data()], Programs("") with { Immovable = "it has one from version 5 on" })
        )
            .Hazards.Single()
            .ShouldSatisfyAllConditions(
                h => h.Code.ShouldBe("setting-not-there"),
                h => h.Severity.ShouldBe(Severity.Blocking),
                h =>
                    h.Text.ShouldBe(
                        "programs of the machine cannot be changed on herb-01: it has one from version 5 on."
                    )
            );
    }

    [Fact]
    public void A_target_ends_in_the_name_that_the_program_adds()
    {
        var brief = Brief("folders: [Documents, Pictures]", "libraries: [sketches]");
        var library = Holding("sketches") with { Name = new HoldingName("asa.lind", HoldingKind.Library, "sketches") };
        HoldingFacts Adding(string name) =>
            library with
            {
                Pointers = [library.Pointers[0] with { Address = library.Pointers[0].Address with { Adds = name } }],
            };
        Plan(brief, Survey([Small(), Data()], Adding("sketches"))).Hazards.ShouldBeEmpty();
        Plan(brief, Survey([Small(), Data()], Adding("Sketches")))
            .Hazards.Single()
            .ShouldSatisfyAllConditions(
                h => h.Code.ShouldBe("pointer-shape"),
                h => h.Severity.ShouldBe(Severity.Blocking),
                h => h.Remedy.ShouldBe("End the path with `/Sketches`.")
            );
    }
}
