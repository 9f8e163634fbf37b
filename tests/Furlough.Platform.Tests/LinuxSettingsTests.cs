using System.Text;
using Furlough.Engine;
using Furlough.Model;
using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

public sealed class LinuxSettingsTests : IDisposable
{
    private readonly LinuxTree _tree = new("tmpfs", 64);

    public void Dispose() => _tree.Dispose();

    private static PointerAddress Address =>
        new("xdg-user-dirs", "/home/asa.lind/.config/user-dirs.dirs", "XDG_DOCUMENTS_DIR", "asa.lind");

    [Theory]
    [InlineData("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n", "XDG_DOCUMENTS_DIR=\"/data/x\"\n")]
    [InlineData(
        "# note\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\" \r\nODD LINE\n",
        "# note\nXDG_DOCUMENTS_DIR=\"/data/x\" \r\nODD LINE\n"
    )]
    [InlineData(
        "XDG_DOCUMENTS_DIR=\"$HOME/Old\"\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"",
        "XDG_DOCUMENTS_DIR=\"$HOME/Old\"\nXDG_DOCUMENTS_DIR=\"/data/x\""
    )]
    public void Only_the_value_changes_and_comes_back_byte_for_byte_I6(string before, string after)
    {
        _tree.Setting(before);
        var pointers = _tree.Machine().Pointers;
        var value = pointers.Read(Address);
        pointers.Swap(Address, value, new PointerValue("quoted", "\"/data/x\""));
        File.ReadAllText(_tree.UserDirs).ShouldBe(after);
        pointers.Swap(Address, new PointerValue("quoted", "\"/data/x\""), value);
        File.ReadAllText(_tree.UserDirs).ShouldBe(before);
        LinuxTree.Sh($"stat -c %u {_tree.UserDirs}").Trim().ShouldBe("1701");
    }

    [Fact]
    public void A_setting_that_did_not_exist_is_made_and_taken_away_again()
    {
        var pointers = _tree.Machine().Pointers;
        pointers.Read(Address).ShouldBe(PointerValue.Absent);
        pointers.Swap(Address, PointerValue.Absent, new PointerValue("quoted", "\"/data/x\""));
        File.ReadAllText(_tree.UserDirs).ShouldBe("XDG_DOCUMENTS_DIR=\"/data/x\"\n");
        pointers.Swap(Address, new PointerValue("quoted", "\"/data/x\""), PointerValue.Absent);
        File.Exists(_tree.UserDirs).ShouldBeFalse();
    }

    [Fact]
    public void Bytes_that_are_no_text_stay_and_edits_of_others_meanwhile_stay_I6()
    {
        byte[] odd = [.. Encoding.ASCII.GetBytes("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n# "), 0xff, 0xfe, (byte)'\n'];
        File.WriteAllBytes(_tree.UserDirs, odd);
        LinuxTree.Sh($"chown 1701:1701 {_tree.UserDirs}");
        var pointers = _tree.Machine().Pointers;
        var writer = new Thread(() =>
        {
            for (var i = 0; i < 200; i++)
                File.AppendAllText(_tree.UserDirs, $"# manually {i}\n");
        });
        writer.Start();
        var (a, b) = (pointers.Read(Address), new PointerValue("quoted", "\"/data/x\""));
        for (var i = 0; i < 20; i++)
            pointers.Swap(Address, i % 2 == 0 ? a : b, i % 2 == 0 ? b : a);
        writer.Join();
        File.ReadAllBytes(_tree.UserDirs).AsSpan(0, odd.Length).SequenceEqual(odd).ShouldBeTrue();
    }

    [Fact]
    public void A_value_changed_by_somebody_else_is_refused_and_stands()
    {
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Elsewhere\"\n");
        Should
            .Throw<Fault>(() =>
                _tree
                    .Machine()
                    .Pointers.Swap(
                        Address,
                        new PointerValue("quoted", "\"$HOME/Documents\""),
                        new PointerValue("quoted", "\"/data/x\"")
                    )
            )
            .Kind.Code.ShouldBe("pointer-changed");
        File.ReadAllText(_tree.UserDirs).ShouldBe("XDG_DOCUMENTS_DIR=\"$HOME/Elsewhere\"\n");
    }

    [Fact]
    public void A_settings_folder_that_is_a_link_is_not_followed_I8()
    {
        LinuxTree.Sh(
            $"rm -rf {_tree.Home}/.config; mkdir {_tree.Root}/elsewhere; ln -s {_tree.Root}/elsewhere {_tree.Home}/.config"
        );
        Should
            .Throw<Fault>(() =>
                _tree.Machine().Pointers.Swap(Address, PointerValue.Absent, new PointerValue("quoted", "\"/data/x\""))
            )
            .Kind.Code.ShouldBe("behind-link");
        Directory.GetFileSystemEntries($"{_tree.Root}/elsewhere").ShouldBeEmpty();
    }

    [Theory]
    [InlineData("\"$HOME/Documents\"", "/home/asa/Documents")]
    [InlineData("\"/data/it \\\"is\\\" \\$5\"", "/data/it \"is\" $5")]
    [InlineData("\"$HOME/\"", null)]
    [InlineData("\"$HOME/$(reboot)\"", null)]
    [InlineData("\"relative\"", null)]
    [InlineData("\"/data/../etc\"", null)]
    [InlineData("half", null)]
    public void Values_are_understood_as_the_system_does_and_never_executed(string raw, string? path)
    {
        UserDirs.Resolve(raw, "/home/asa").ShouldBe(path);
        if (path is not null)
            UserDirs.Resolve(UserDirs.Spell(path), "/home/asa").ShouldBe(path);
    }

    [Fact]
    public void The_survey_tells_volumes_accounts_and_what_is_hidden()
    {
        _tree.Setting("XDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n");
        LinuxTree.Sh(
            $"mkdir {_tree.Home}/Documents; cd {_tree.Home}/Documents; head -c 5000 /dev/urandom > seen; head -c "
                + "9000 /dev/urandom > .hidden; ln seen again; truncate -s 1G hole"
        );
        var survey = _tree.Survey();
        survey.Volumes.Single(v => v.System).Root.ShouldBe("/");
        survey
            .Volumes.Single(v => !v.System)
            .ShouldSatisfyAllConditions(
                v => v.Root.ShouldBe("/data"),
                v => v.FileSystem.ShouldBe("tmpfs"),
                v => v.Medium.ShouldBe(Medium.Memory),
                v => v.SizeBytes.ShouldBe(64L << 20)
            );
        survey.Accounts.Select(a => (a.Name, a.Fallback)).ShouldBe([("asa.lind", false), ("keeper", true)]);
        var documents = survey.Holdings.Single(h => h.Name.Name == "Documents");
        (documents.Files, documents.DataBytes, documents.HiddenBytes).ShouldBe((4, 14_000, 9_000));
        _tree.Survey().Volumes.Select(v => v.Identity).ShouldBe(survey.Volumes.Select(v => v.Identity));
    }
}
