using Furlough.Platform.Linux;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>What a system mounts before anybody signs in, by the files that say so.</summary>
public sealed class StartUpMountsTests : IDisposable
{
    private readonly string _root = Directory.CreateTempSubdirectory("furlough-start-").FullName;

    public void Dispose() => Directory.Delete(_root, recursive: true);

    [Fact]
    public void A_system_without_any_such_file_mounts_nothing() => Has("/srv/roomy").ShouldBeFalse();

    [Theory]
    [InlineData("UUID=5f1c /srv/roomy ext4 defaults 0 2", true)]
    [InlineData("LABEL=roomy\t/srv/roomy\text4\tnofail\t0\t2", true)]
    [InlineData("/dev/disk/by-id/usb-crew /srv/roomy ext4 defaults 0 2", true)]
    [InlineData("/dev/sdb1 /srv/roomy ext4 defaults 0 2", false)] // another disk tomorrow
    [InlineData("UUID=5f1c /srv/roomy ext4 noauto,user 0 2", false)]
    [InlineData("#UUID=5f1c /srv/roomy ext4 defaults 0 2", false)]
    [InlineData("UUID=5f1c /srv/roomy2 ext4 defaults 0 2", false)]
    [InlineData("UUID=5f1c /srv/roomy", false)]
    public void The_table_names_a_place_by_identity(string line, bool has)
    {
        Write("etc/fstab", $"# made at the installation\n\n{line}\n");
        Has("/srv/roomy").ShouldBe(has);
    }

    [Fact]
    public void Places_with_spaces_are_found()
    {
        Write("etc/fstab", "UUID=5f1c /srv/two\\040words ext4 defaults 0 2\n");
        Has("/srv/two words").ShouldBeTrue();
    }

    [Fact]
    public void A_mount_unit_counts_once_it_is_enabled()
    {
        Write(
            "etc/systemd/system/srv-roomy.mount",
            "[Mount]\nWhat=/dev/disk/by-uuid/5f1c\nWhere=/srv/roomy\nType=ext4\n[Install]\nWantedBy=multi-user.target\n"
        );
        Has("/srv/roomy").ShouldBeFalse();
        Directory.CreateDirectory($"{_root}/etc/systemd/system/multi-user.target.wants");
        File.CreateSymbolicLink(
            $"{_root}/etc/systemd/system/multi-user.target.wants/srv-roomy.mount",
            "/etc/systemd/system/srv-roomy.mount"
        );
        Has("/srv/roomy").ShouldBeTrue();
        Has("/srv/other").ShouldBeFalse();
        Write("etc/systemd/system/srv-roomy.mount", "[Mount]\nWhat=/dev/sdb1\nWhere=/srv/roomy\n");
        Has("/srv/roomy").ShouldBeFalse();
    }

    [Fact]
    public void A_mount_that_is_left_to_the_first_who_looks_is_there_before_sign_in()
    {
        Write("etc/systemd/system/srv-roomy.mount", "[Mount]\nWhat=LABEL=roomy\nWhere=/srv/roomy\n");
        Directory.CreateDirectory($"{_root}/etc/systemd/system/local-fs.target.requires");
        File.CreateSymbolicLink(
            $"{_root}/etc/systemd/system/local-fs.target.requires/srv-roomy.automount",
            "/etc/systemd/system/srv-roomy.automount"
        );
        Has("/srv/roomy").ShouldBeTrue();
    }

    [Theory]
    [InlineData("crew UUID=77aa /etc/keys/crew luks", true)]
    [InlineData("crew UUID=77aa", true)]
    [InlineData("crew UUID=77aa none luks,noauto", false)]
    [InlineData("crew /dev/sdb1 /etc/keys/crew luks", false)]
    [InlineData("# crew UUID=77aa none luks", false)]
    [InlineData("other UUID=77aa none luks", false)]
    public void What_is_encrypted_has_to_be_opened_at_the_start(string line, bool has)
    {
        Write("etc/fstab", "/dev/mapper/crew /srv/roomy ext4 nofail 0 2\n");
        Write("etc/crypttab", line + "\n");
        Has("/srv/roomy", "crew").ShouldBe(has);
        Has("/srv/roomy").ShouldBeTrue();
    }

    private bool Has(string point, params string[] encryption) =>
        new StartUpMounts(_root).HasByIdentity(point, encryption);

    private void Write(string path, string text)
    {
        Directory.CreateDirectory(Path.GetDirectoryName($"{_root}/{path}")!);
        File.WriteAllText($"{_root}/{path}", text);
    }
}
