using System.Diagnostics;
using System.Text;
using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// The published Windows agent on a Windows of the compatible system's making, with a second volume. A second Windows
/// program says where things are. What that system cannot show stands in docs/platforms.md.
/// </summary>
public sealed class WindowsTests : IDisposable
{
    private const string UserFolders = @"HKCU\Software\Microsoft\Windows\CurrentVersion\Explorer\User Shell Folders",
        OlderFolders = @"HKCU\Software\Microsoft\Windows\CurrentVersion\Explorer\Shell Folders";
    private const string Documents = "FDD39AD0-238F-46AF-ADB4-6C85480369C7";

    private const string Brief = """
        furlough-brief: 1
        title: Folders to the second volume
        machines: {names: [wet-03]}
        volumes: {roomy: {system: false}}
        relocate:
          - {folders: [Documents, Pictures], onto: roomy, path: "People/{account}/{folder}", method: warm}
        """;

    private readonly Field _field = new();
    private readonly WindowsDesk _desk = new();

    public WindowsTests() => _field.StartService();

    public void Dispose()
    {
        _field.Dispose();
        _desk.Dispose();
    }

    private string Home => _desk.Home;

    private string Roomy => $"{_desk.Second}/People/{Environment.UserName}";

    [Fact]
    public void Folders_keep_the_contract_of_all_folders()
    {
        var said = _desk.Probe("contract", "D:");
        said.Out.Split('\n').Where(l => l.StartsWith("failed", StringComparison.Ordinal)).ShouldBeEmpty();
        said.Code.ShouldBe(0, said.ToString());
        said.Out.Split('\n').Count(l => l.StartsWith("passed", StringComparison.Ordinal)).ShouldBeGreaterThan(8);
    }

    [Fact]
    public void Volumes_are_attached_as_the_storage_driver_says() =>
        _desk
            .Probe("attached", "D:")
            .Out.Trim()
            .ShouldBe(
                "Internal Unknown",
                "its driver speaks of a disk on an inner bus and knows nothing of its seeking"
            );

    [Fact]
    public void User_folders_are_relocated_seen_by_another_program_and_returned_with_every_value_as_it_was()
    {
        Fill(400);
        File.SetAttributes($"{Home}/Pictures", FileAttributes.Normal);
        File.WriteAllText($"{Home}/Pictures/desktop.ini", "[.ShellClassInfo]\r\nIconResource=plots.ico\r\n");
        var (values, before) = (Values(), WindowsDesk.Describe($"{Home}/Documents"));
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        LinuxTree
            .Sh($"stat -c %a '{Home}/../../ProgramData/Furlough'")
            .Trim()
            .ShouldEndWith("0", customMessage: "the agent's data is closed to the people of the machine");
        Run().Code.ShouldBe(0);
        _desk.Probe("where", Documents).Out.Trim().ShouldBe($@"D:\People\{Environment.UserName}\Documents");
        WindowsDesk.Describe($"{Roomy}/Documents").ShouldBe(before);
        File.ReadAllText($"{Roomy}/Pictures/desktop.ini").ShouldContain("plots.ico");
        Values().ShouldContain($@"Personal    REG_EXPAND_SZ    D:\People\{Environment.UserName}\Documents");
        _field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        _desk.Wine("wine", "reg", "add", UserFolders, "/v", "By hand", "/d", "stays", "/f");

        _field
            .Run("relocation", "return", "1", "2", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        _desk.Probe("where", Documents).Out.Trim().ShouldBe($@"C:\users\{Environment.UserName}\Documents");
        WindowsDesk.Describe($"{Home}/Documents").ShouldBe(before);
        Values().Replace("    By hand    REG_SZ    stays\n", "", StringComparison.Ordinal).ShouldBe(values);
    }

    [Fact]
    public void The_programs_path_is_changed_with_its_twins_and_put_back()
    {
        const string key = @"HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion";
        _desk.Wine(
            "wine",
            "reg",
            "add",
            key,
            "/v",
            "ProgramFilesDir",
            "/d",
            @"C:\Program Files (x86)",
            "/f",
            "/reg:32"
        );
        string Programs() =>
            string.Join(
                '\n',
                (
                    (string[][])
                        [
                            ["ProgramFilesDir", "/reg:64"],
                            ["ProgramFilesDir (x86)", "/reg:64"],
                            ["ProgramFilesDir", "/reg:32"],
                        ]
                ).Select(v => _desk.Wine("wine", "reg", "query", key, "/v", v[0], v[1]).Out.Split("REG_SZ")[^1].Trim())
            );
        Programs().ShouldBe("C:\\Program Files\nC:\\Program Files (x86)\nC:\\Program Files (x86)");
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        var brief = Brief.Replace(
            "{folders: [Documents, Pictures], onto: roomy, path: \"People/{account}/{folder}\", method: warm}",
            "{install-paths: [programs], onto: roomy, path: Programs}",
            StringComparison.Ordinal
        );
        var plan = _field.Run("plan", "make", _field.WriteBrief(brief));
        plan.Out.ShouldContain("What is installed at `C:\\Program Files` on wet-03 stays there: Common Files");
        Start("1");
        _field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Programs().ShouldBe("D:\\Programs\nD:\\Programs (x86)\nD:\\Programs (x86)");
        Directory
            .GetDirectories(_desk.Second)
            .Select(Path.GetFileName)
            .Order()
            .ShouldBe(["Programs", "Programs (x86)"]);
        _field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        _field
            .Run("relocation", "return", "1", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Programs().ShouldBe("C:\\Program Files\nC:\\Program Files (x86)\nC:\\Program Files (x86)");
    }

    [Fact]
    public void An_agent_that_is_killed_takes_up_its_work()
    {
        Fill(3_000);
        var before = WindowsDesk.Describe($"{Home}/Documents");
        var agent = _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        var plan = Plan();
        Start(plan);
        foreach (var step in (string[])["copy", "prove"])
        {
            Field.WaitFor(
                () =>
                    Relocation("Documents") is var r
                    && (r.GetProperty("step").ToString() == step || r.GetProperty("state").ToString() == "switched"),
                step
            );
            Field.Kill(agent);
            agent = _desk.StartAgent(_field, "wet-03");
        }
        _field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        WindowsDesk.Describe($"{Roomy}/Documents").ShouldBe(before);
        _desk.Probe("where", Documents).Out.Trim().ShouldStartWith(@"D:\People");
    }

    [Fact]
    public void Folders_of_an_account_that_is_not_signed_in_are_relocated_and_returned_with_their_settings()
    {
        var home = _desk.AddAccount("bo.tarrant", 1001);
        var (values, before) = (_desk.FolderSettings("bo.tarrant"), WindowsDesk.Describe($"{home}/Documents"));
        values.ShouldBe(
            "User Shell Folders: Personal ExpandString %USERPROFILE%\\Documents\nShell Folders: Personal String "
                + "C:\\users\\bo.tarrant\\Documents\n"
        );
        Fill(10);
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        Run().Code.ShouldBe(0);
        WindowsDesk.Describe($"{_desk.Second}/People/bo.tarrant/Documents").ShouldBe(before);
        _desk
            .FolderSettings("bo.tarrant")
            .ShouldBe(
                "User Shell Folders: Personal ExpandString D:\\People\\bo.tarrant\\Documents\nShell Folders: "
                    + "Personal String D:\\People\\bo.tarrant\\Documents\n"
            );
        Directory.GetFiles(home).Select(Path.GetFileName).ShouldBe(["NTUSER.DAT"], "nothing stays beside it");
        _field.Run("audit", "make").Out.ShouldContain(": 0 findings.");

        var number = _field
            .Run("relocation", "list", "--json")
            .Json.EnumerateArray()
            .Single(r => r.GetProperty("account").GetString() == "bo.tarrant")
            .GetProperty("number")
            .ToString();
        _field
            .Run("relocation", "return", number, "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        _desk.FolderSettings("bo.tarrant").ShouldBe(values);
        WindowsDesk.Describe($"{home}/Documents").ShouldBe(before);
    }

    [Fact]
    public void A_home_is_relocated_by_the_list_of_profiles_and_returned_with_every_value_as_it_was()
    {
        var home = _desk.AddAccount("bo.tarrant", 1001);
        _desk.AddAccount("keeper", 1002);
        LinuxTree.Sh(
            $"mkdir -p '{home}/AppData/Local/Temp' '{home}/AppData/Roaming/Sketcher'; echo fen > "
                + $"'{home}/AppData/Roaming/Sketcher/recent'; echo hidden > '{home}/.plots'; touch -d "
                + $"2024-05-01T06:00:00 '{home}/.plots'"
        );
        var (profiles, values, before) = (Profiles(), _desk.FolderSettings("bo.tarrant"), Contents(home));
        profiles.ShouldContain(@"ProfileImagePath    REG_EXPAND_SZ    %SystemDrive%\users\bo.tarrant");
        _desk.StartAgent(_field, "wet-03", _field.Invite(), "--fallback", "keeper");
        Survey();
        var brief = Brief
            .Replace("folders: [Documents, Pictures]", "homes: whole, accounts: [bo.tarrant]", StringComparison.Ordinal)
            .Replace(", method: warm", "", StringComparison.Ordinal);
        _field
            .Run(
                "plan",
                "make",
                _field.WriteBrief(
                    brief.Replace("People/{account}/{folder}", "{account}/Home", StringComparison.Ordinal)
                )
            )
            .Out.ShouldContain(
                @"The home of bo.tarrant on wet-03 would be `D:\bo.tarrant\Home`: there an account is known by "
                    + "the name of its home's folder."
            );
        var plan = _field
            .Run(
                "plan",
                "make",
                _field.WriteBrief(
                    brief.Replace("People/{account}/{folder}", "Homes/{account}", StringComparison.Ordinal)
                ),
                "--json"
            )
            .Json.GetProperty("number")
            .ToString();
        Start(plan);
        _field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));

        var moved = $"{_desk.Second}/Homes/bo.tarrant";
        Contents(moved).ShouldBe(before);
        Directory.Exists(home).ShouldBeFalse();
        Profiles()
            .ShouldBe(
                profiles.Replace(@"%SystemDrive%\users\bo.tarrant", @"D:\Homes\bo.tarrant", StringComparison.Ordinal)
            );
        _desk
            .FolderSettings("bo.tarrant", @"D:\Homes\bo.tarrant")
            .ShouldBe(values.Replace(@"C:\users\bo.tarrant", @"D:\Homes\bo.tarrant", StringComparison.Ordinal));
        _field.Run("machine", "survey", "wet-03").Code.ShouldBe(0);
        _field.Run("machine", "show", "wet-03").Out.ShouldContain(@"D:\Homes\bo.tarrant\Documents");
        _field.Run("audit", "make").Out.ShouldContain(": 0 findings.");

        _field
            .Run("relocation", "return", Relocation("home").GetProperty("number").ToString(), "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Profiles().ShouldBe(profiles);
        _desk.FolderSettings("bo.tarrant").ShouldBe(values);
        Contents(home).ShouldBe(before);
    }

    [Fact]
    public void A_library_of_a_kind_card_is_relocated_and_returned_with_its_values()
    {
        const string key = @"HKCU\Software\Sketcher";
        Directory.CreateDirectory($"{Home}/Studio/Sketches");
        File.WriteAllText($"{Home}/Studio/Sketches/fen.skt", "a sketch");
        _desk.Wine(
            "wine",
            "reg",
            "add",
            key,
            "/v",
            "Library",
            "/t",
            "REG_EXPAND_SZ",
            "/d",
            @"%USERPROFILE%\Studio\Sketches",
            "/f"
        );
        _desk.Wine("wine", "reg", "add", key, "/v", "Base", "/d", $@"C:\users\{Environment.UserName}\Studio", "/f");
        _desk.Wine("wine", "reg", "add", key, "/v", "Zoom", "/t", "REG_DWORD", "/d", "2", "/f");
        string Values() => _desk.Wine("wine", "reg", "query", key).Out.ReplaceLineEndings("\n");
        var before = Values();
        Fill(3);
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        _field
            .Run(
                "kind",
                "add",
                _field.WriteBrief(
                    """
                    furlough-kind: 1
                    name: sketches
                    title: Sketch books
                    closed: [cmd]
                    pointers:
                      - {registry: 'Software\Sketcher', value: Library}
                      - {registry: 'Software\Sketcher', value: Base, wants: parent, adds: Sketches}
                    """
                )
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Survey();
        Field.WaitFor(
            () => _field.Run("machine", "show", "wet-03").Out.Contains("sketches", StringComparison.Ordinal),
            "the library"
        );
        var plan = _field
            .Run(
                "plan",
                "make",
                _field.WriteBrief(
                    Brief
                        .Replace("folders: [Documents, Pictures]", "libraries: [sketches]", StringComparison.Ordinal)
                        .Replace("{folder}", "Sketches", StringComparison.Ordinal)
                ),
                "--json"
            )
            .Json.GetProperty("number")
            .ToString();
        var program = _desk.Open(_field, "cmd");
        Start(plan);
        Field.WaitFor(
            () =>
                Relocation("sketches") is var r
                && r.GetProperty("state").GetString() == "waiting"
                && r.GetProperty("failure")
                    .GetProperty("text")
                    .GetString()!
                    .Contains("cmd is running", StringComparison.Ordinal),
            "the open program"
        );
        Values().ShouldBe(before);
        program.StandardInput.Close();
        Field.WaitFor(
            () => Relocation("sketches").GetProperty("state").GetString() == "switched",
            "the closed program"
        );
        File.ReadAllText($"{Roomy}/Sketches/fen.skt").ShouldBe("a sketch");
        Values()
            .ShouldSatisfyAllConditions(
                v => v.ShouldContain($@"Library    REG_EXPAND_SZ    D:\People\{Environment.UserName}\Sketches"),
                v => v.ShouldContain($@"Base    REG_SZ    D:\People\{Environment.UserName}" + "\n")
            );
        _field
            .Run("relocation", "return", "1", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Values().ShouldBe(before);
    }

    [Fact]
    public void Settings_files_of_programs_are_changed_and_come_back_byte_for_byte()
    {
        var roaming = $"{Home}/AppData/Roaming/Sketcher";
        var (ini, json, toml, browser) = (
            $"{roaming}/settings.ini",
            $"{roaming}/recent.json",
            $"{roaming}/recorder.toml",
            $"{Home}/AppData/Local/Field browser/Preferences"
        );
        LinuxTree.Sh(
            $"mkdir -p '{roaming}' '{Path.GetDirectoryName(browser)}' '{Home}/Studio/Sketches' '{Home}/Downloads'"
        );
        File.WriteAllText($"{Home}/Studio/Sketches/fen.skt", "a sketch");
        var studio = $@"C:\users\{Environment.UserName}\Studio";
        var texts = new[]
        {
            $"; manually\r\n[library]\r\npath = {studio}\\Sketches\r\n",
            $"{{ // last\r\n  \"folder\": \"{studio.Replace(@"\", @"\\", StringComparison.Ordinal)}\\\\Sketches\",\r\n}}\r\n",
            $"base = '{studio.Replace('\\', '/')}' # around it\n",
            "{\"zoom\":2}",
        };
        var files = new[] { ini, json, toml, browser };
        foreach (var (file, text) in files.Zip(texts))
            File.WriteAllText(file, text);
        Fill(3);
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        foreach (
            var card in (string[])
                [
                    """
                        furlough-kind: 1
                        name: sketches
                        title: Sketch books
                        pointers:
                          - {file: "{home}/AppData/Roaming/Sketcher/settings.ini", syntax: ini, key: library/path}
                          - {file: "{home}/AppData/Roaming/Sketcher/recent.json", syntax: json, key: folder}
                          - {file: "{home}/AppData/Roaming/Sketcher/recorder.toml", syntax: toml, key: base, wants: parent, adds: Sketches}
                        """,
                    """
                        furlough-kind: 1
                        name: field-browser
                        title: What the field browser downloads
                        holds: install-path
                        found-by: "{home}/AppData/Local/Field browser/Preferences"
                        usual: "{home}/Downloads"
                        pointers: [{file: "{home}/AppData/Local/Field browser/Preferences", syntax: json, key: download/folder}]
                        """,
                ]
        )
            _field
                .Run("kind", "add", _field.WriteBrief(card))
                .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Survey();
        Field.WaitFor(
            () =>
                _field.Run("machine", "show", "wet-03").Out is var shown
                && shown.Contains("sketches", StringComparison.Ordinal)
                && shown.Contains("field-browser", StringComparison.Ordinal),
            "both kinds"
        );
        Start(
            _field
                .Run(
                    "plan",
                    "make",
                    _field.WriteBrief(
                        """
                        furlough-brief: 1
                        title: Programs' own
                        machines: {names: [wet-03]}
                        volumes: {roomy: {system: false}}
                        relocate:
                          - {libraries: [sketches], onto: roomy, path: "People/{account}/Sketches"}
                          - {install-paths: [field-browser], onto: roomy, path: "People/{account}/Downloads"}
                        """
                    ),
                    "--json"
                )
                .Json.GetProperty("number")
                .ToString()
        );
        _field.Run("run", "follow", "1").ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        var people = $@"D:\People\{Environment.UserName}";
        File.ReadAllText(ini).ShouldBe(texts[0].Replace(studio, people, StringComparison.Ordinal));
        File.ReadAllText(json)
            .ShouldBe(
                texts[1]
                    .Replace(
                        studio.Replace(@"\", @"\\", StringComparison.Ordinal),
                        people.Replace(@"\", @"\\", StringComparison.Ordinal),
                        StringComparison.Ordinal
                    )
            );
        File.ReadAllText(toml)
            .ShouldBe(texts[2].Replace(studio.Replace('\\', '/'), people.Replace('\\', '/'), StringComparison.Ordinal));
        using (var preferences = JsonDocument.Parse(File.ReadAllText(browser)))
            preferences
                .RootElement.GetProperty("download")
                .GetProperty("folder")
                .GetString()
                .ShouldBe($@"{people}\Downloads");
        File.ReadAllText($"{Roomy}/Sketches/fen.skt").ShouldBe("a sketch");
        _field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        File.AppendAllText(ini, "[window]\r\nwide = yes\r\n");

        _field
            .Run("relocation", "return", "1", "2", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        files.Select(File.ReadAllText).ShouldBe([texts[0] + "[window]\r\nwide = yes\r\n", .. texts[1..]]);
        Directory.GetFiles(roaming).Length.ShouldBe(3, "nothing stays beside them");
    }

    [Fact]
    public void What_stands_at_the_usual_place_of_a_folder_that_lives_elsewhere_is_told()
    {
        Fill(10);
        Directory.CreateDirectory($"{_desk.Second}/Moved");
        File.WriteAllText($"{_desk.Second}/Moved/sheet.ods", "a count");
        _desk.Wine("wine", "reg", "add", UserFolders, "/v", "Personal", "/t", "REG_EXPAND_SZ", "/d", @"d:\Moved", "/f");
        _desk.Wine("wine", "reg", "add", OlderFolders, "/v", "Personal", "/d", @"D:\Moved", "/f");
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        var plan = _field.Run("plan", "make", _field.WriteBrief(Brief)).Out;
        plan.ShouldContain("partly-elsewhere  (1)");
        plan.ShouldContain(
            $@"`C:\users\{Environment.UserName}\Documents` on wet-03, the usual place of Documents of {Environment.UserName}, has 10 files"
        );
    }

    [Fact]
    public void A_system_that_passed_its_check_counts_as_proven()
    {
        var home = _desk.AddAccount("scratch.paper", 1001);
        var values = _desk.FolderSettings("scratch.paper");
        Fill(10);
        _desk
            .Wine(
                "wine",
                @"C:\programs\furlough-agent.exe",
                "check",
                "--data",
                @"C:\ProgramData\Furlough",
                "--account",
                "scratch.paper"
            )
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("passed  Documents to D: and back"),
                o => o.Out.ShouldContain("Surveys call it proven from now on, for what the lines above name.")
            );
        _desk.FolderSettings("scratch.paper").ShouldBe(values);
        Directory.GetFileSystemEntries(home).Select(Path.GetFileName).Order().ShouldBe(["Documents", "NTUSER.DAT"]);
        Directory
            .GetFileSystemEntries(_desk.Second)
            .ShouldAllBe(e =>
                Path.GetFileName(e).StartsWith(".furlough", StringComparison.Ordinal)
                || Directory.GetFiles(e, "*", SearchOption.AllDirectories).Length == 0
            );
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        _field.Run("plan", "make", _field.WriteBrief(Brief)).Out.ShouldNotContain("unproven-system");
    }

    [Fact]
    public void Settings_that_are_read_only_in_use_or_damaged_are_told_and_stand()
    {
        var home = _desk.AddAccount("bo.tarrant", 1001);
        var values = _desk.FolderSettings("bo.tarrant");
        Fill(10);
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        var brief = _field.WriteBrief(
            Brief.Replace(
                "folders: [Documents, Pictures]",
                "folders: [Documents], accounts: [bo.tarrant]",
                StringComparison.Ordinal
            )
        );
        string Failure(Action spoil)
        {
            var plan = _field.Run("plan", "make", brief, "--json").Json.GetProperty("number").ToString();
            spoil();
            Start(plan);
            _field
                .Run(
                    "run",
                    "follow",
                    _field
                        .Run("run", "list", "--json")
                        .Json.EnumerateArray()
                        .Max(r => r.GetProperty("number").GetInt64())
                        .ToString()
                )
                .Code.ShouldBe(1);
            return _field
                .Run("relocation", "list", "--json")
                .Json.EnumerateArray()
                .MaxBy(r => r.GetProperty("number").GetInt64())
                .GetProperty("failure")
                .GetProperty("text")
                .GetString()!;
        }

        var file = $"{home}/NTUSER.DAT";
        Failure(() => LinuxTree.Sh($"chmod a-w '{file}'")).ShouldContain("are read-only");
        Directory.Exists($"{_desk.Second}/People/bo.tarrant/Documents").ShouldBeFalse();
        LinuxTree.Sh($"chmod u+w '{file}'");
        System.Diagnostics.Process? holder = null;
        Failure(() => holder = _desk.Hold(_field, WindowsDesk.SettingsOf("bo.tarrant")))
            .ShouldContain("in use by another program, though the account is not signed in");
        _field.Run("machine", "survey", "wet-03").Code.ShouldBe(0);
        _field
            .Run("machine", "show", "wet-03")
            .Out.ShouldContain("The folders of bo.tarrant were passed over: The settings of bo.tarrant");
        holder!.StandardInput.Close();
        holder.WaitForExit();
        _desk.FolderSettings("bo.tarrant").ShouldBe(values);
        _field.Run("machine", "survey", "wet-03").Code.ShouldBe(0);
        Failure(() => File.WriteAllText(file, "no settings at all")).ShouldContain("are damaged");
        File.ReadAllText(file).ShouldBe("no settings at all");
    }

    [Fact]
    public void A_value_that_holds_no_path_and_one_that_somebody_changed_are_refused_and_stand()
    {
        Fill(20);
        _desk.StartAgent(_field, "wet-03", _field.Invite());
        Survey();
        var plan = Plan();
        _desk.Wine(
            "wine",
            "reg",
            "add",
            UserFolders,
            "/v",
            "Personal",
            "/t",
            "REG_EXPAND_SZ",
            "/d",
            @"%USERPROFILE%\Elsewhere",
            "/f"
        );
        Start(plan);
        _field
            .Run("run", "follow", "1")
            .Out.ShouldContain(
                "reads `%USERPROFILE%\\Elsewhere` and not `%USERPROFILE%\\Documents`: someone changed it since the survey"
            );
        Directory.Exists($"{Roomy}/Documents").ShouldBeFalse();
        _desk.Wine("wine", "reg", "add", UserFolders, "/v", "Personal", "/t", "REG_DWORD", "/d", "7", "/f");
        Survey();
        _field.Run("machine", "show", "wet-03").Out.ShouldContain("is of the type DWord, which holds no path");
        Values().ShouldContain("Personal    REG_DWORD    0x7");
    }

    private void Fill(int files)
    {
        var text = new StringBuilder();
        for (var i = 0; i < files; i++)
        {
            var folder = $"{Home}/Documents/transects {i / 100:D2}";
            if (i % 100 == 0)
                Directory.CreateDirectory(folder);
            text.Clear().Append('x', i % 977 * 40).Append(i);
            var file = $"{folder}/sheet-{i:D4} ü.ods";
            File.WriteAllText(file, text.ToString());
            File.SetLastWriteTimeUtc(file, new DateTime(2024, 5, 1, 6, 0, 0, DateTimeKind.Utc).AddTicks(i));
        }
        File.WriteAllText($"{Home}/Pictures/plot.tif", "a plot");
    }

    private string Profiles() =>
        _desk
            .Wine(
                "wine",
                "reg",
                "query",
                @"HKLM\SOFTWARE\Microsoft\Windows NT\CurrentVersion\ProfileList",
                "/s",
                "/reg:64"
            )
            .Out.ReplaceLineEndings("\n");

    /// <summary>A home without the account's settings, which are compared by what they say.</summary>
    private static string Contents(string home) =>
        LinuxTree.Sh(
            $"cd '{home}' && find . -mindepth 1 ! -path '*/.furlough-*' ! -name 'NTUSER.DAT*' -printf '%P %y\\n' "
                + "| sort; find . -type f ! -path '*/.furlough-*' ! -name 'NTUSER.DAT*' -print0 | sort -z | xargs -0 sha256sum"
        );

    private string Values() =>
        _desk.Wine("wine", "reg", "query", UserFolders).Out.ReplaceLineEndings("\n")
        + _desk.Wine("wine", "reg", "query", OlderFolders).Out.ReplaceLineEndings("\n");

    private Outcome Run()
    {
        Start(Plan());
        return _field.Run("run", "follow", "1");
    }

    private string Plan()
    {
        var plan = _field.Run("plan", "make", _field.WriteBrief(Brief), "--json");
        plan.Code.ShouldBe(0, plan.ToString());
        return plan.Json.GetProperty("number").ToString();
    }

    /// <summary>Starts a plan's run, which needs consent: the system counts as unproven.</summary>
    private void Start(string plan)
    {
        _field.Run("run", "start", "--plan", plan).ToString().ShouldContain("unproven-system");
        _field.Run("plan", "consent", plan, "--hazard", "unproven-system", "--reason", "A test").Code.ShouldBe(0);
        _field.Run("run", "start", "--plan", plan).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
    }

    private void Survey()
    {
        _field.WaitForSurveys();
        _field.Run("machine", "survey", "wet-03").Code.ShouldBe(0);
    }

    private JsonElement Relocation(string holding) =>
        _field.Ask("relocations").EnumerateArray().Last(r => r.GetProperty("holding").GetString() == holding);
}
