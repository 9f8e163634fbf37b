using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>
/// Where programs go, changed on a whole Debian, whose own commands and accounts say what became of it.
/// </summary>
public sealed class InstallPathTests() : RealDesk(megabytes: 64, whole: true)
{
    private const string Packages = """
        furlough-kind: 1
        name: packages
        title: What the packer installs for an account
        holds: install-path
        found-by: /usr/bin/packer
        usual: "{home}/.packer"
        lists: lib
        says: [/usr/bin/packer, where]
        pointers:
          - {file: "{home}/.config/packer/rc", syntax: properties, key: prefix}
        """;

    private const string Wanted = """
        furlough-brief: 1
        title: Programs to the roomy volume
        machines: {names: [map-01]}
        volumes: {roomy: {system: false}}
        relocate:
          - {install-paths: [packages, browser-downloads], accounts: [asa.lind], onto: roomy, path: "Programs/{account}/{folder}"}
        """;

    private const string Preferences = """{"download":{"prompt":false},"profile":{"name":"asa"}}""";

    private string PreferencesFile => $"{Tree.Home}/.config/chromium/Default/Preferences";

    private void InstallPacker()
    {
        File.WriteAllText(
            $"{Tree.Root}/usr/bin/packer",
            """
            #!/bin/sh
            prefix=$(sed -n 's/^prefix=//p' "$HOME/.config/packer/rc" 2>/dev/null)
            prefix=${prefix:-$HOME/.packer}
            case $1 in where) echo "$prefix";; install) mkdir -p "$prefix/lib" && echo "$2" > "$prefix/lib/$2";; esac
            """
        );
        LinuxTree.Sh($"chmod 755 {Tree.Root}/usr/bin/packer");
    }

    [Fact]
    public void Programs_go_to_the_new_place_from_then_on_and_the_former_setting_comes_back()
    {
        InstallPacker();
        Tree.As("asa.lind", "packer install old");
        LinuxTree.Sh(
            $"mkdir -p {Path.GetDirectoryName(PreferencesFile)}; cp {Tree.Root}/bin/sleep "
                + $"{Tree.Root}/usr/bin/chromium; chown -R 1701:1701 {Tree.Home}/.config"
        );
        File.WriteAllText(PreferencesFile, Preferences);
        LinuxTree.Sh(
            $"chown 1701:1701 {PreferencesFile}; chroot {Tree.Root} su asa.lind -c '/usr/bin/chromium 3000 >/dev/null 2>&1 & '"
        );
        Enrol("--card-commands");
        Field
            .Run("kind", "add", Field.WriteBrief(Packages))
            .ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("under `install-paths`")
            );
        Field.WaitFor(
            () => Field.Run("machine", "show", "map-01").Out.Contains("packages", StringComparison.Ordinal),
            "the install path"
        );

        StartRun(Wanted);
        Field.Run("plan", "show", "1").Out.ShouldContain("on map-01 stays there: old.");
        Field.WaitFor(() => Relocation("packages").GetProperty("state").GetString() == "finished", "the packages");
        Tree.As("asa.lind", "packer where").ShouldBe("/data/Programs/asa.lind/packages");
        Tree.As("asa.lind", "packer install new; ls /data/Programs/asa.lind/packages/lib").ShouldBe("new");
        File.ReadAllText($"{Tree.Home}/.config/packer/rc").ShouldBe("prefix=/data/Programs/asa.lind/packages\n");
        LinuxTree
            .Sh($"stat -c '%u %a' {Tree.Root}/data/Programs/asa.lind {Tree.Home}/.config/packer")
            .Split('\n')
            .ShouldBe(["1701 700", "1701 700", ""]);

        Field.WaitFor(
            () => Relocation("browser-downloads").GetProperty("state").GetString() == "waiting",
            "the open browser"
        );
        Field
            .Run("relocation", "show", Relocation("browser-downloads").GetProperty("number").ToString())
            .Out.ShouldContain("chromium (asa.lind) is running");
        File.ReadAllText(PreferencesFile).ShouldBe(Preferences);
        Tree.End("chromium");
        Field.WaitFor(
            () => Relocation("browser-downloads").GetProperty("state").GetString() == "finished",
            "the closed browser"
        );
        File.ReadAllText(PreferencesFile)
            .ShouldBe(
                Preferences.Replace(
                    "\"prompt\":false",
                    "\"prompt\":false, \"default_directory\": \"/data/Programs/asa.lind/browser-downloads\"",
                    StringComparison.Ordinal
                )
            );
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");

        Field
            .Run(
                "relocation",
                "return",
                Relocation("packages").GetProperty("number").ToString(),
                Relocation("browser-downloads").GetProperty("number").ToString(),
                "--follow"
            )
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        File.ReadAllText(PreferencesFile).ShouldBe(Preferences);
        File.Exists($"{Tree.Home}/.config/packer/rc").ShouldBeFalse();
        Tree.As("asa.lind", "packer where").ShouldBe("/home/asa.lind/.packer");
        File.Exists($"{Tree.Root}/data/Programs/asa.lind/packages/lib/new").ShouldBeTrue("what was installed stays");
    }

    [Fact]
    public void A_library_whose_setting_the_program_s_own_commands_keep_is_relocated_and_returned()
    {
        const string card = """
            furlough-kind: 1
            name: specimens
            title: The catalogue of specimens
            usual: "{home}/Specimens"
            says: [/usr/bin/catalogue, where]
            pointers:
              - reads: [/usr/bin/catalogue, get]
                writes: [/usr/bin/catalogue, "--set={value}"]
                clears: [/usr/bin/catalogue, forget]
            """;
        File.WriteAllText(
            $"{Tree.Root}/usr/bin/catalogue",
            """
            #!/bin/sh
            case $1 in
              get) cat ~/.catalogue 2>/dev/null || true;;
              where) cat ~/.catalogue 2>/dev/null || echo ~/Specimens;;
              forget) rm ~/.catalogue;;
              --set=*) printf %s "${1#--set=}" > ~/.catalogue;;
            esac
            """
        );
        LinuxTree.Sh($"chmod 755 {Tree.Root}/usr/bin/catalogue");
        Tree.As("asa.lind", "mkdir Specimens; echo moss > Specimens/index");
        var before = LinuxTree.Describe($"{Tree.Home}/Specimens");
        Enrol("--card-commands");
        Field.Run("kind", "add", Field.WriteBrief(card)).Code.ShouldBe(0);
        Field
            .Run("kind", "show", "specimens")
            .Out.ShouldContain("what /usr/bin/catalogue get prints, where the agent allows commands");
        Field.WaitFor(
            () => Field.Run("machine", "show", "map-01").Out.Contains("specimens", StringComparison.Ordinal),
            "the library"
        );
        var brief = Wanted
            .Replace("install-paths: [packages, browser-downloads]", "libraries: [specimens]", StringComparison.Ordinal)
            .Replace("Programs", "People", StringComparison.Ordinal);
        Field.Run("run", "follow", StartRun(brief)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Tree.As("asa.lind", "catalogue where").ShouldBe("/data/People/asa.lind/specimens");
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Root}/data/People/asa.lind/specimens")).ShouldBeEmpty();
        Field.Run("audit", "make").Out.ShouldContain(": 0 findings.");
        Field.Run("relocation", "show", "1").Out.ShouldContain("get in /usr/bin/catalogue");
        Field
            .Run("relocation", "return", "1", "--follow")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        File.Exists($"{Tree.Home}/.catalogue").ShouldBeFalse();
        LinuxTree.Difference(before, LinuxTree.Describe($"{Tree.Home}/Specimens")).ShouldBeEmpty();
    }

    [Fact]
    public void A_command_that_hangs_or_fails_leaves_the_former_setting_and_without_leave_none_runs()
    {
        InstallPacker();
        var agent = Enrol("--card-commands");
        var brief = Wanted.Replace(", browser-downloads", "", StringComparison.Ordinal);
        foreach (
            var (says, why) in (ReadOnlySpan<(string, string)>)
                [
                    ("[/bin/sleep, \"60\"]", "did not end within 10 s"),
                    ("[/bin/cat, /etc/shadow]", "Permission denied"),
                    ("[/usr/bin/no-such]", "failed"),
                ]
        )
        {
            Field
                .Run(
                    "kind",
                    "add",
                    Field.WriteBrief(Packages.Replace("[/usr/bin/packer, where]", says, StringComparison.Ordinal))
                )
                .Code.ShouldBe(0);
            Field.Run("machine", "survey", "map-01").Code.ShouldBe(0);
            Field.WaitFor(
                () =>
                    Field.Run("machine", "show", "map-01", "--json").Out.Contains("packages", StringComparison.Ordinal),
                "the install path"
            );
            Field.Run("run", "follow", StartRun(brief)).Code.ShouldBe(1);
            var last = Field
                .Run("relocation", "list", "--json")
                .Json.EnumerateArray()
                .MaxBy(r => r.GetProperty("number").GetInt64())
                .GetProperty("failure");
            last.GetProperty("text").GetString()!.ShouldContain(why);
            last.GetProperty("where")
                .GetString()!
                .ShouldContain("Nothing has changed; the settings lead to its source, `/home/asa.lind/.packer`.");
            (File.Exists($"{Tree.Home}/.config/packer/rc"), Directory.Exists($"{Tree.Root}/data/Programs")).ShouldBe(
                (false, false)
            );
        }
        Field.Kill(agent);
        Field.StartAgent(Tree.Root, "map-01");
        Field.Run("run", "follow", StartRun(brief)).ShouldSatisfyAllConditions(o => o.Code.ShouldBe(0, o.ToString()));
        Field
            .Run(
                "relocation",
                "show",
                Field
                    .Run("relocation", "list", "--json")
                    .Json.EnumerateArray()
                    .Max(r => r.GetProperty("number").GetInt64())
                    .ToString()
            )
            .Out.ShouldContain("Commands of kind cards do not run on this machine");
    }
}
