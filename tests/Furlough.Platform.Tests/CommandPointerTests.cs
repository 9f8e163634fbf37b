using Furlough.Engine;
using Furlough.Model;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>
/// Settings that commands keep, in a whole Debian: by its own command for user folders, and by made-up ones that go
/// wrong.
/// </summary>
public sealed class CommandPointerTests : IDisposable
{
    private const string Old = "/home/asa.lind/Templates",
        New = "/data/People/It's new";

    private readonly LinuxTree _tree = new("tmpfs", 64, whole: true);

    public CommandPointerTests() =>
        _tree.As(
            "asa.lind",
            $"xdg-user-dirs-update --set TEMPLATES {Old}; printf '\\n%s\\n' 'XDG_MUSIC_DIR=\"$HOME/Sounds\"' >> ~/.config/user-dirs.dirs"
        );

    public void Dispose() => _tree.Dispose();

    private static readonly SettingCommands System = new(
        ["/usr/bin/xdg-user-dir", "TEMPLATES"],
        ["/usr/bin/xdg-user-dirs-update", "--set", "TEMPLATES", "{value}"],
        []
    );

    private LinuxMachine Machine => new(_tree.Root, "keeper", "test", TimeProvider.System, cardCommands: true);

    private static PointerAddress Address(SettingCommands commands, string account = "asa.lind") =>
        new("command", commands.Reads[0], string.Join(' ', commands.Reads.Skip(1)), account) { Commands = commands };

    /// <summary>
    /// A made-up program that keeps its setting in a file of the home, and whose `set` does what is given.
    /// </summary>
    private SettingCommands Packer(string set)
    {
        File.WriteAllText(
            $"{_tree.Root}/usr/bin/packer",
            $"#!/bin/sh\ncase $1 in get) cat ~/.packer 2>/dev/null; true;; set) {set};; unset) rm ~/.packer;; esac\n"
        );
        LinuxTree.Sh($"chmod 755 {_tree.Root}/usr/bin/packer");
        return new(["/usr/bin/packer", "get"], ["/usr/bin/packer", "set", "{value}"], ["/usr/bin/packer", "unset"]);
    }

    /// <summary>The system's command puts lines into a sequence of its own, and drops remarks.</summary>
    private string[] Lines() => File.ReadAllText(_tree.UserDirs).Split('\n', StringSplitOptions.RemoveEmptyEntries);

    private Place Place => new(_tree.Survey().Volumes.First(v => !v.System).Identity.Key, New["/data/".Length..]);

    [Fact]
    public void The_system_s_own_command_changes_the_value_and_puts_it_back_and_what_others_wrote_stays_I6()
    {
        var (pointers, address, before) = (Machine.Pointers, Address(System), Lines());
        before.ShouldContain("XDG_TEMPLATES_DIR=\"$HOME/Templates\"");
        var old = pointers.Read(address);
        old.Text.ShouldBe(Old);
        var next = pointers.Spell(address, Place, old);
        pointers.Swap(address, old, next);
        pointers.Read(address).ShouldBe(next);
        Lines().ShouldContain($"XDG_TEMPLATES_DIR=\"{New}\"");
        File.AppendAllText(_tree.UserDirs, "\nXDG_VIDEOS_DIR=\"$HOME/By hand\"\n");
        pointers.Swap(address, next, old);
        Lines().ShouldBe(["XDG_VIDEOS_DIR=\"$HOME/By hand\"", .. before], ignoreOrder: true);
        LinuxTree.Sh($"stat -c %u {_tree.UserDirs}").Trim().ShouldBe("1701");
    }

    [Fact]
    public void What_somebody_else_changed_is_refused_and_stands_I6()
    {
        var (pointers, address) = (Machine.Pointers, Address(System));
        var old = pointers.Read(address);
        _tree.As("asa.lind", "xdg-user-dirs-update --set TEMPLATES /home/asa.lind/Elsewhere");
        Should
            .Throw<Fault>(() => pointers.Swap(address, old, old with { Text = New }))
            .Kind.Code.ShouldBe("pointer-changed");
        _tree.As("asa.lind", "xdg-user-dir TEMPLATES").ShouldBe("/home/asa.lind/Elsewhere");
    }

    [Fact]
    public void A_value_that_was_not_there_is_taken_away_again_with_what_a_person_typed_beside_it_as_an_argument()
    {
        var (pointers, address) = (Machine.Pointers, Address(Packer("printf %s \"$2\" > ~/.packer")));
        pointers.Read(address).ShouldBe(PointerValue.Absent);
        var next = new PointerValue("text", "/data/a; rm -rf \"$HOME\"; 'quoted");
        pointers.Swap(address, PointerValue.Absent, next);
        File.ReadAllText($"{_tree.Home}/.packer").ShouldBe(next.Text);
        pointers.Swap(address, next, PointerValue.Absent);
        File.Exists($"{_tree.Home}/.packer").ShouldBeFalse();
        var without = address with { Commands = address.Commands! with { Clears = [] } };
        pointers.Swap(without, PointerValue.Absent, next);
        Should
            .Throw<Fault>(() => pointers.Swap(without, next, PointerValue.Absent))
            .Kind.Code.ShouldBe("command-missing");
        pointers.Read(without).ShouldBe(next);
    }

    [Theory]
    [InlineData("echo /data/other > ~/.packer", "command-did-not-set", "says `/data/other`")]
    [InlineData(
        "echo /data/other > ~/.packer; echo no such volume >&2; exit 3",
        "command-failed",
        "failed (no such volume)"
    )]
    [InlineData(
        "[ \"$2\" = /home/asa.lind/Old ] && echo \"$2\" > ~/.packer || { echo half > ~/.packer; sleep 60; }",
        "command-failed",
        "did not end within 10 s"
    )]
    [InlineData("true", "command-did-not-set", "says `/home/asa.lind/Old`")]
    public void A_command_that_sets_something_else_fails_or_hangs_is_told_and_the_former_value_stands(
        string set,
        string code,
        string words
    )
    {
        // Led to its former value the program obeys.
        var (pointers, address) = (
            Machine.Pointers,
            Address(Packer($"if [ \"$2\" = /home/asa.lind/Old ]; then echo \"$2\" > ~/.packer; else {set}; fi"))
        );
        LinuxTree.Sh($"echo /home/asa.lind/Old > {_tree.Home}/.packer; chown 1701:1701 {_tree.Home}/.packer");
        var old = pointers.Read(address);
        Should
            .Throw<Fault>(() => pointers.Swap(address, old, old with { Text = New }))
            .ShouldSatisfyAllConditions(f => f.Kind.Code.ShouldBe(code), f => f.Message.ShouldContain(words));
        pointers.Read(address).ShouldBe(old);
    }

    [Fact]
    public void Without_the_machine_s_leave_no_command_runs_and_a_survey_says_so()
    {
        var set = Packer("touch /tmp/ran");
        Should
            .Throw<Fault>(() => _tree.Machine().Pointers.Read(Address(set)))
            .Kind.Code.ShouldBe("commands-not-allowed");
        KindCard card = new(
            "packages",
            "Packages",
            [],
            [new("command", set.Reads[0], "get", PointerShape.Folder, null) { Commands = set with { Clears = [] } }]
        )
        {
            Holds = HoldingKind.InstallPath,
            Usual = "{home}/.packages",
        };
        Survey Take(LinuxMachine machine) => machine.Surveyor.Take([card], [], _ => false, CancellationToken.None);
        Take(_tree.Machine())
            .Notes.ShouldContain(n =>
                n.Contains(
                    "packages of asa.lind was not read: Commands keep this setting, and commands of kind cards do not run on this machine",
                    StringComparison.Ordinal
                )
            );
        Take(Machine)
            .Notes.ShouldContain(
                "The setting for packages of asa.lind says nothing, and the kind card has no command that takes "
                    + "it away again: it was passed over."
            );
        File.Delete($"{_tree.Root}/usr/bin/packer");
        Take(Machine).Notes.ShouldNotContain(n => n.Contains("packages", StringComparison.Ordinal));
    }
}
