using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>Launcher entries of an account, and shortcuts as another program reads them.</summary>
public sealed class LauncherTests : IDisposable
{
    private const string Entry = "sketcher.desktop",
        Own = "[Desktop Entry]\nType=Application\nName=Sketcher, as I want it\nExec=sketcher\n";

    private readonly LinuxTree _tree = new("tmpfs", 64);

    public void Dispose() => _tree.Dispose();

    private string Folder => $"{_tree.Home}/.local/share/applications";

    private string Path => $"{Folder}/{Entry}";

    private ILaunchers Launchers(bool cardCommands = true) =>
        new LinuxMachine(_tree.Root, "keeper", "test", TimeProvider.System, cardCommands).Launchers!;

    [Fact]
    public void An_entry_of_the_system_is_hidden_from_one_account_and_comes_back()
    {
        for (var i = 0; i < 2; i++)
            Launchers().Hide("asa.lind", Entry);
        File.ReadAllLines(Path).ShouldContain("Hidden=true");
        LinuxTree.Sh($"stat -c '%u %g' {Path} {Folder}").Split('\n').ShouldBe(["1701 1701", "1701 1701", ""]);
        for (var i = 0; i < 2; i++)
            Launchers().Show("asa.lind", Entry);
        Directory.GetFileSystemEntries(Folder).ShouldBeEmpty();
    }

    [Fact]
    public void An_entry_of_the_account_s_own_comes_back_byte_for_byte_also_after_a_death_in_between()
    {
        LinuxTree.Sh($"mkdir -p {Folder}");
        File.WriteAllText(Path, Own);
        LinuxTree.Sh($"chmod 755 {Path}; touch -d 2020-02-02 {Path}; chown -R 1701:1701 {_tree.Home}/.local");
        var before = LinuxTree.Sh($"stat -c '%i %a %u %Y' {Path}");
        Launchers().Hide("asa.lind", Entry);
        File.ReadAllText(Path).ShouldNotBe(Own);
        // As a death after the first of both steps leaves it.
        File.Delete(Path);
        Launchers().Hide("asa.lind", Entry);
        File.ReadAllLines(Path).ShouldContain("Hidden=true");
        Launchers().Show("asa.lind", Entry);
        File.ReadAllText(Path).ShouldBe(Own);
        LinuxTree.Sh($"stat -c '%i %a %u %Y' {Path}").ShouldBe(before);
        Directory.GetFileSystemEntries(Folder).ShouldBe([Path]);
    }

    [Fact]
    public void What_the_account_made_meanwhile_stands_and_so_does_what_was_kept()
    {
        LinuxTree.Sh($"mkdir -p {Folder}");
        File.WriteAllText(Path, Own);
        LinuxTree.Sh($"chown -R 1701:1701 {_tree.Home}");
        Launchers().Hide("asa.lind", Entry);
        File.WriteAllText(Path, "[Desktop Entry]\nName=New\n");
        Should
            .Throw<Fault>(() => Launchers().Hide("asa.lind", Entry))
            .Message.ShouldContain($"`{Entry}` and `{Entry}.kept`");
        Launchers().Show("asa.lind", Entry);
        File.ReadAllText(Path).ShouldContain("Name=New");
        File.ReadAllText(Path + ".kept").ShouldBe(Own);
    }

    [Fact]
    public void A_link_on_the_way_is_not_followed_I8()
    {
        LinuxTree.Sh(
            $"mkdir -p {_tree.Root}/elsewhere {_tree.Home}/.local/share; ln -s {_tree.Root}/elsewhere {Folder}"
        );
        Should.Throw<Fault>(() => Launchers().Hide("asa.lind", Entry));
        Directory.GetFileSystemEntries($"{_tree.Root}/elsewhere").ShouldBeEmpty();
    }

    [Fact]
    public void A_shortcut_hands_every_argument_over_as_it_is_and_none_is_made_where_commands_of_cards_do_not_run()
    {
        Launchers(cardCommands: false).ShortcutTo("Sketches", ["/usr/bin/sketcher"]).ShouldBeNull();
        string[] arguments = ["--library=/data/It's a \"place\" of `asa`", "$HOME %f %% \\ ; & *", ""];
        var (program, said, file) = ($"{_tree.Root}/a program", $"{_tree.Root}/said", $"{_tree.Root}/Sketches.desktop");
        File.WriteAllText(program, $"#!/bin/sh\nprintf '%s\\n' \"$@\" > {said}\n");
        LinuxTree.Sh($"chmod 755 '{program}'; mkfifo {said}");
        File.WriteAllText(file, Launchers().ShortcutTo("Sketches of asa.lind", [program, .. arguments])!.Content);
        LinuxTree.Sh($"gio launch {file} & timeout 20 cat {said}").ShouldBe(string.Join('\n', arguments) + "\n");
    }
}
