using System.Text.Json;
using Furlough.Platform.Tests;
using Shouldly;
using Xunit;

namespace Furlough.EndToEnd.Tests;

/// <summary>The agent's check of its own machine, with a scratch account.</summary>
public sealed class CheckTests : IDisposable
{
    private readonly Field _field = new();

    public void Dispose() => _field.Dispose();

    [Theory]
    [InlineData("ext4")]
    [InlineData("exfat")]
    public void Everything_is_tried_on_the_machine_s_own_volumes_and_nothing_stays_behind(string fileSystem)
    {
        using var tree = new LinuxTree(fileSystem, 200);
        tree.Setting("# mine\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\nXDG_MUSIC_DIR=\"$HOME/Music\"\n");
        LinuxTree.Sh(
            $"mkdir {tree.Home}/Documents {tree.Home}/Music; echo x > {tree.Home}/Documents/x; ln -s x "
                + $"{tree.Home}/Documents/link; chown -R 1701:1701 {tree.Home}; touch -d 2024-05-01T06:00:00 "
                + $"{tree.Home}/Documents/x {tree.Home}/Documents {tree.Home}/Music {tree.Home}"
        );
        Check(tree, "asa.lind");
        var before = LinuxTree.Describe(tree.Home);
        var report = Check(tree, "asa.lind");
        LinuxTree
            .Difference(before, LinuxTree.Describe(tree.Home))
            .Split('\n')
            .ShouldAllBe(
                l =>
                    l.Length == 0
                    || l.Contains("'.'", StringComparison.Ordinal)
                    || l.Contains("/.config", StringComparison.Ordinal),
                "the setting was written twice, nothing else changed"
            );
        LinuxTree.Sh($"find {tree.Root}/data -mindepth 1 ! -name '.furlough*' ! -name lost+found").ShouldBeEmpty();
        report.Out.ShouldContain("passed  /data  a name that is taken is never overwritten (I7)");
        // A volume that stores neither links nor owners fails where a folder has a link: and says so.
        if (fileSystem == "ext4")
            report.ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(0, o.ToString()),
                o => o.Out.ShouldContain("passed  Documents to /data and back"),
                o => o.Out.ShouldContain("23 of 23 passed")
            );
        else
            report.ShouldSatisfyAllConditions(
                o => o.Code.ShouldBe(1, o.ToString()),
                o => o.Out.ShouldContain("FAILED  Documents to /data and back")
            );
        using var written = JsonDocument.Parse(File.ReadAllText($"{_field.Folder}/check/check.json"));
        written.RootElement.GetProperty("account").GetString().ShouldBe("asa.lind");
    }

    [Fact]
    public void An_account_in_which_somebody_works_is_left_alone()
    {
        using var tree = new LinuxTree("ext4", 64);
        tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
        LinuxTree.Sh($"mkdir {tree.Home}/Documents; for i in $(seq 201); do echo x > {tree.Home}/Documents/$i; done");
        var before = LinuxTree.Describe(tree.Root);
        Check(tree, "asa.lind")
            .ShouldSatisfyAllConditions(o => o.Code.ShouldBe(1), o => o.Error.ShouldContain("someone works in it"));
        Check(tree, "keeper").Error.ShouldContain("has no user folders");
        Check(tree, "nobody.there").Error.ShouldContain("There is no account nobody.there here");
        LinuxTree.Difference(before, LinuxTree.Describe(tree.Root)).ShouldNotContain("Documents");
    }

    private Outcome Check(LinuxTree tree, string account)
    {
        using var process = Field.Launch(
            "furlough-agent",
            ["check", "--root", tree.Root, "--data", $"{_field.Folder}/check", "--account", account]
        );
        return Field.Finish(process);
    }
}
