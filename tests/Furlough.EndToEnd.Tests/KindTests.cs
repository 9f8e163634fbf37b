using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>Libraries of programs that only a kind card describes, relocated on a real desk.</summary>
public sealed class KindTests : RealDesk
{
    private const string Sketches = """
        furlough-kind: 1
        name: sketches
        title: Sketch books of the field sketcher
        launcher: sketcher.desktop
        opens: [/usr/bin/sketcher, "--library={library}"]
        pointers:
          - {file: "{home}/.config/sketcher/settings.ini", syntax: ini, key: library/path}
          - {file: "{home}/.config/sketcher/recent.json", syntax: json, key: last/folder}
          - {link: "{home}/sketches"}
        """;

    private const string Sounds = """
        furlough-kind: 1
        name: sounds
        title: Recordings, in a folder of a fixed name
        pointers:
          - {file: "{home}/.config/recorder.toml", syntax: toml, key: storage/base, wants: parent, adds: Recordings}
        """;

    private const string Ini =
        "; manually\r\n[window]\r\nwidth = 900\r\n\r\n[library]\r\npath = \"/home/asa.lind/Sketch books\"\r\n";
    private const string Json =
        "{ // last session\n  \"last\": {\"zoom\": 1.5, \"folder\": \"\\/home\\/asa.lind\\/Sketch books\"},\n}\n";
    private const string Toml = "[storage] # where it goes\nbase = '/home/asa.lind/Studio'\nformat = \"flac\"\n";

    private string Config => $"{Tree.Home}/.config";

    [Fact]
    public void A_library_that_all_accounts_share_is_relocated_from_where_the_installation_allows_it()
    {
        const string card = """
            furlough-kind: 1
            name: plates
            title: Plates of the whole house
            of: machine
            usual: /srv/plates
            pointers:
              - {file: /etc/plates.ini, syntax: ini, key: library/path}
            """;
        Tree.FillHard($"{Tree.Root}/srv/plates", 40);
        var (settings, own) = ($"{Tree.Root}/etc/plates.ini", "[library]\npath = /srv/plates\nname = House\n");
        File.WriteAllText(settings, own);
        var before = LinuxTree.Describe($"{Tree.Root}/srv/plates");
        Enrol("--allow-setting", "/etc/plates.ini");
        Field
            .Run("kind", "add", Card(card + "\nclosed: [viewer]\n"))
            .Error.ShouldContain("What all accounts of a machine share has no `closed`");
        Field.Run("kind", "add", Card(card)).Code.ShouldBe(0);
        Field.WaitFor(
            () => Field.Run("machine", "show", "map-01").Out.Contains("plates", StringComparison.Ordinal),
            "the library"
        );
        var brief = """
            furlough-brief: 1
            title: The house's plates
            machines: {names: [map-01]}
            volumes: {roomy: {system: false}}
            relocate:
              - {libraries: [plates], onto: roomy, path: "House/{account}/{folder}"}
            """;
        Field.Run("run", "follow", StartRun(brief)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/House/shared/plates")).ShouldBeEmpty();
        File.ReadAllText(settings)
            .ShouldBe(own.Replace("/srv/plates", "/data/House/shared/plates", StringComparison.Ordinal));
        Directory.Exists($"{Tree.Root}/srv/plates").ShouldBeFalse();
        Field.Run("relocation", "return", "1", "--follow").Code.ShouldBe(0);
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/srv/plates")).ShouldBeEmpty();
        File.ReadAllText(settings).ShouldBe(own);

        // Anywhere else it is nobody's to be moved, whatever a card says.
        LinuxTree.Sh(
            $"mkdir -p {Tree.Root}/var/spool/plates; mv {Tree.Root}/srv/plates/* {Tree.Root}/var/spool/plates/"
        );
        File.WriteAllText(settings, own.Replace("/srv/plates", "/var/spool/plates", StringComparison.Ordinal));
        Field.Run("machine", "survey", "map-01");
        Field.Run("plan", "make", Field.WriteBrief(brief)).Out.ShouldContain("`/var/spool/plates` is not below `/srv`");
    }

    [Fact]
    public void Libraries_are_found_relocated_and_returned_with_every_byte_of_their_settings()
    {
        Tree.FillHard($"{Tree.Home}/Sketch books", 60);
        Tree.FillHard($"{Tree.Home}/Studio/Recordings", 30);
        LinuxTree.Sh($"mkdir -p {Config}/sketcher");
        File.WriteAllText($"{Config}/sketcher/settings.ini", Ini);
        File.WriteAllText($"{Config}/sketcher/recent.json", Json);
        File.WriteAllText($"{Config}/recorder.toml", Toml);
        LinuxTree.Sh(
            $"ln -s 'Sketch books' {Tree.Home}/sketches; chown -hR 1701:1701 {Config} {Tree.Home}/Studio {Tree.Home}/sketches"
        );
        var (entry, ownEntry) = (
            $"{Tree.Home}/.local/share/applications/sketcher.desktop",
            "[Desktop Entry]\nType=Application\nName=Sketcher\nExec=sketcher\n"
        );
        LinuxTree.Sh(
            $"mkdir -p {Path.GetDirectoryName(entry)}; printf "
                + $"'{ownEntry.Replace("\n", "\\n", StringComparison.Ordinal)}' > {entry}; chown -R 1701:1701 {Tree.Home}/.local"
        );
        var before = LinuxTree.Describe($"{Tree.Home}/Sketch books");
        Enrol("--card-commands");
        Field
            .Run("kind", "add", Card(Sketches))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("sketches is looked for from now on")
            );
        Field.Run("kind", "add", Card(Sounds)).Code.ShouldBe(0);
        Field.Run("kind", "list").Out.ShouldContain("Recordings, in a folder of a fixed name");
        Field.WaitFor(
            () =>
                Field.Run("machine", "show", "map-01").Out is var shown
                && shown.Contains("sketches", StringComparison.Ordinal)
                && shown.Contains("sounds", StringComparison.Ordinal),
            "the libraries"
        );

        var brief = """
            furlough-brief: 1
            title: Libraries
            machines: {names: [map-01]}
            volumes: {roomy: {system: false}}
            relocate:
              - {libraries: [sketches], onto: roomy, path: "Libraries/{account}/{folder}", method: warm}
              - {libraries: [sounds], onto: roomy, path: "Libraries/{account}/Recordings"}
            """;
        Field.Run("run", "follow", StartRun(brief)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        File.ReadAllText($"{Config}/sketcher/settings.ini")
            .ShouldBe(
                Ini.Replace(
                    "/home/asa.lind/Sketch books",
                    "/data/Libraries/asa.lind/sketches",
                    StringComparison.Ordinal
                )
            );
        File.ReadAllText($"{Config}/sketcher/recent.json")
            .ShouldBe(
                Json.Replace(
                    "\\/home\\/asa.lind\\/Sketch books",
                    "/data/Libraries/asa.lind/sketches",
                    StringComparison.Ordinal
                )
            );
        new FileInfo($"{Tree.Home}/sketches").LinkTarget.ShouldBe("/data/Libraries/asa.lind/sketches");
        File.ReadAllText(entry).ShouldContain("Hidden=true");
        var (note, shortcut) = (
            $"{Tree.Root}/data/Libraries/asa.lind/sketches of asa.lind.txt",
            $"{Tree.Root}/data/Libraries/asa.lind/sketches of asa.lind.desktop"
        );
        File.ReadAllText(note)
            .ShouldContain(
                "Kept in /data/Libraries/asa.lind/sketches\nand opened by the shortcut of the same name beside this note."
            );
        File.ReadAllLines(shortcut)
            .ShouldContain("Exec=\"/usr/bin/sketcher\" \"--library=/data/Libraries/asa.lind/sketches\"");
        LinuxTree.Sh($"stat -c '%u %a' '{note}' '{shortcut}'").Split('\n').ShouldBe(["1701 644", "1701 700", ""]);
        File.ReadAllText($"{Config}/recorder.toml")
            .ShouldBe(Toml.Replace("/home/asa.lind/Studio", "/data/Libraries/asa.lind", StringComparison.Ordinal));
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{Tree.Root}/data/Libraries/asa.lind/sketches"))
            .ShouldBeEmpty();

        Field
            .Run(
                "relocation",
                "return",
                Relocation("sketches").GetProperty("number").ToString(),
                Relocation("sounds").GetProperty("number").ToString(),
                "--follow"
            )
            .Code.ShouldBe(0);
        (File.Exists(note), File.Exists(shortcut), File.ReadAllText(entry)).ShouldBe((false, false, ownEntry));
        (
            File.ReadAllText($"{Config}/sketcher/settings.ini"),
            File.ReadAllText($"{Config}/sketcher/recent.json"),
            File.ReadAllText($"{Config}/recorder.toml")
        ).ShouldBe((Ini, Json, Toml));
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Sketch books")).ShouldBeEmpty();
        new FileInfo($"{Tree.Home}/sketches").LinkTarget.ShouldBe("Sketch books");
        LinuxTree.Sh($"stat -c %u {Config}/recorder.toml {Tree.Home}/sketches").Split().ShouldBe(["1701", "1701", ""]);
    }

    [Fact]
    public void What_a_program_knows_by_one_path_alone_and_apps_leave_a_link_and_come_back()
    {
        const string card = """
            furlough-kind: 1
            name: catalogue
            title: The catalogue, which knows one path
            pointers:
              - fixed: "{home}/Catalogue"
            """;
        var (catalogue, app) = ($"{Tree.Home}/Catalogue", $"{Tree.Root}/opt/specimen viewer");
        Tree.FillHard(catalogue, 30);
        LinuxTree.Sh(
            $"mkdir -p '{app}/bin' {Tree.Root}/opt/kept {Tree.Root}/var/lib/dpkg/info; chmod 755 {Tree.Root}/opt "
                + $"'{app}' '{app}/bin'; printf '#!/bin/sh\necho viewed\n' > '{app}/bin/view'; chmod 755 "
                + $"'{app}/bin/view'; echo x > {Tree.Root}/opt/kept/x; printf '/.\n/opt\n/opt/kept\n' > "
                + $"{Tree.Root}/var/lib/dpkg/info/keeper-tools.list"
        );
        var (before, appBefore) = (LinuxTree.Describe(catalogue), LinuxTree.Describe(app));
        Enrol();
        Field.Run("kind", "add", Card(card)).Code.ShouldBe(0);
        Field.WaitFor(
            () =>
                Field.Run("machine", "show", "map-01").Out is var shown
                && shown.Contains("catalogue", StringComparison.Ordinal)
                && shown.Contains("specimen viewer", StringComparison.Ordinal),
            "the catalogue and the app"
        );

        var brief = """
            furlough-brief: 1
            title: What knows one path
            machines: {names: [map-01]}
            volumes: {roomy: {system: false}}
            relocate:
              - {libraries: [catalogue], onto: roomy, path: "Libraries/{account}/{folder}", method: warm}
              - {apps: ["*", kept], onto: roomy, path: "Programs/{folder}"}
            """;
        var run = StartRun(brief);
        Field
            .Run("plan", "show", "1")
            .Out.ShouldContain(
                "kept of the machine stays where it is on map-01: it belongs to the system's package keeper-tools"
            );
        Field
            .Run("run", "follow", run)
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(3, o.ToString()),
                o => o.Out.ShouldContain("1 more relocation is blocked by the plan: 1 ")
            );
        Field
            .Run("run", "show", run, "--json")
            .Json.ShouldSatisfyAllConditions(
                r => r.GetProperty("relocations").GetInt32().ShouldBe(2),
                r => r.GetProperty("blocked")[0].GetProperty("machines")[0].GetString().ShouldBe("map-01"),
                r => r.GetProperty("failures").GetArrayLength().ShouldBe(0)
            );
        (new FileInfo(catalogue).LinkTarget, new FileInfo(app).LinkTarget).ShouldBe(
            ("/data/Libraries/asa.lind/catalogue", "/data/Programs/specimen viewer")
        );
        LinuxTree
            .Difference(before, LinuxTree.Describe($"{Tree.Root}/data/Libraries/asa.lind/catalogue"))
            .ShouldBeEmpty();
        LinuxTree
            .Difference(appBefore, LinuxTree.Describe($"{Tree.Root}/data/Programs/specimen viewer"))
            .ShouldBeEmpty();
        LinuxTree.Sh($"stat -c '%u' '{catalogue}' '{app}'").Split('\n').ShouldBe(["1701", "0", ""]);
        LinuxTree
            .Sh(
                $"cd {Tree.Root}/opt; readlink 'specimen viewer'; \"{Tree.Root}/data/Programs/specimen viewer/bin/view\""
            )
            .ShouldContain("viewed");
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        LinuxTree.Sh($"rm {catalogue}");
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.Run("audit", "make").Out.ShouldContain("~/Catalogue (a link)");
        LinuxTree.Sh($"ln -s /data/Libraries/asa.lind/catalogue {catalogue}; chown -h 1701:1701 {catalogue}");

        Field
            .Run(
                "relocation",
                "return",
                Relocation("catalogue").GetProperty("number").ToString(),
                Relocation("specimen viewer").GetProperty("number").ToString(),
                "--follow"
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        LinuxTree.Difference(before, LinuxTree.Describe(catalogue)).ShouldBeEmpty();
        LinuxTree.Difference(appBefore, LinuxTree.Describe(app)).ShouldBeEmpty();
    }

    [Fact]
    public void Cards_are_checked_and_taken_back_and_settings_that_nobody_understands_are_left_alone()
    {
        Field
            .Run("kind", "check", Card(Sketches.Replace("syntax: ini", "syntax: inn", StringComparison.Ordinal)))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(2),
                o => o.Error.ShouldContain("line 7"),
                o => o.Error.ShouldContain("Perhaps `ini` is meant")
            );
        Field
            .Run("kind", "add", Card(Sketches.Replace("{home}", "/etc", StringComparison.Ordinal)))
            .Error.ShouldContain("lies in nobody's home");
        Directory.CreateDirectory($"{Tree.Home}/Documents");
        LinuxTree.Sh(
            $"mkdir -p {Config}/sketcher; echo '[library]' > {Config}/sketcher/settings.ini; echo '{{broken' > "
                + $"{Config}/sketcher/recent.json"
        );
        Enrol();
        Field
            .Run("kind", "check", Card(Sounds), "--on", "map-01")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1),
                o =>
                    o.Out.ShouldContain(
                        "map-01 found nothing of it: no program, settings or folder that the card names is there."
                    )
            );
        File.WriteAllText($"{Config}/recorder.toml", Toml);
        LinuxTree.Sh(
            $"mkdir -p {Tree.Home}/Studio/Recordings; printf 123 > {Tree.Home}/Studio/Recordings/dawn.flac; mkdir "
                + $"-p {Tree.Root}/srv/course; printf 12345 > {Tree.Root}/srv/course/left; chown 1701 "
                + $"{Tree.Root}/srv/course/left"
        );
        Field
            .Run("kind", "check", Card(Sounds), "--on", "map-01")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("storage/base in ~/.config/recorder.toml"),
                o => o.Out.ShouldContain("/home/asa.lind/Studio/Recordings")
            );
        Field
            .Run("kind", "check", Card(Sketches), "--on", "map-01")
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1),
                o => o.Out.ShouldContain("note: The setting for sketches of asa.lind was not read")
            );
        Field.Run("kind", "check", Card(Sketches), "--on", "map-99").Error.ShouldContain("machine map-99");
        Field.Run("kind", "list").Out.ShouldNotContain("sketches");
        Field.WaitFor(
            () => !Field.Run("machine", "show", "map-01").Out.Contains("sounds", StringComparison.Ordinal),
            "the survey without what was tried"
        );
        const string common =
            "furlough-kind: 1\nname: course-desk\ntitle: Common\nholds: common-folder\nusual: /srv/course\n";
        Field
            .Run("kind", "check", Card(common), "--on", "map-01")
            .Out.ShouldContain("map-01 has it at /srv/course: 1 file of asa.lind");
        Field.Run("kind", "add", Card(common)).Out.ShouldContain("audits say what lies in it");
        Field.Run("kind", "list").Out.ShouldContain("common-folder");
        Field.Run("audit", "make").Out.ShouldContain("1 file of asa.lind");
        Field.Run("kind", "add", Card(Sketches), "--on", "herb-*").Out.ShouldContain("on herb-*");
        Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
        Field.Run("machine", "show", "map-01").Out.ShouldNotContain("sketches");
        Field.Run("kind", "add", Card(Sketches), "--on", "map-*").Code.ShouldBe(0);
        Field.WaitFor(
            () =>
                Field
                    .Run("machine", "show", "map-01")
                    .Out.Contains("sketches of asa.lind was not read", StringComparison.Ordinal),
            "the note"
        );
        Field
            .Run("kind", "show", "sketches")
            .Out.ShouldContain("last/folder in {home}/.config/sketcher/recent.json (json)");
        Field.Run("kind", "remove", "sketches").Out.ShouldContain("is looked for no longer");
        Field.WaitFor(
            () => !Field.Run("machine", "show", "map-01").Out.Contains("sketches", StringComparison.Ordinal),
            "the survey without it"
        );
        Field
            .Run("kind", "remove", "sketches")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(2), o => o.Error.ShouldContain("no kind card sketches"));
    }

    private string Card(string text) => Field.WriteBrief(text);
}
