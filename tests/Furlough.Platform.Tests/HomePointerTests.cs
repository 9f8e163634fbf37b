using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>Homes in the account database of a whole Debian, changed by its own command.</summary>
public sealed class HomePointerTests : IDisposable
{
    private readonly LinuxTree _tree = new("tmpfs", 64, whole: true);

    public void Dispose() => _tree.Dispose();

    private static PointerAddress Address => new("account-database", "/etc/passwd", "home", "asa.lind");

    private string Database => File.ReadAllText($"{_tree.Root}/etc/passwd");

    [Fact]
    public void A_home_is_changed_and_led_back_to_the_same_bytes_and_what_others_changed_meanwhile_stays_I6()
    {
        var (pointers, before) = (_tree.Machine().Pointers, Database);
        var old = pointers.Read(Address);
        old.Text.ShouldBe("/home/asa.lind");
        var next = old with { Text = "/data/It's new/asa.lind" };
        pointers.Swap(Address, old, next);
        Database.ShouldBe(before.Replace("/home/asa.lind", "/data/It's new/asa.lind", StringComparison.Ordinal));
        LinuxTree.Sh(
            $"chroot {_tree.Root} useradd -u 1777 wren.dacey --badname; chroot {_tree.Root} usermod -c 'manually' asa.lind"
        );
        pointers.Swap(Address, next, old);
        Database.ShouldBe(
            before.Replace("asa.lind:x:1701:1701::", "asa.lind:x:1701:1701:manually:", StringComparison.Ordinal)
                + File.ReadLines($"{_tree.Root}/etc/passwd").Last()
                + "\n"
        );
        Database.ShouldContain("wren.dacey:x:1777");
    }

    [Fact]
    public void What_somebody_else_changed_is_refused_and_so_is_what_the_database_cannot_hold()
    {
        var pointers = _tree.Machine().Pointers;
        var old = pointers.Read(Address);
        Should
            .Throw<Fault>(() => pointers.Swap(Address, old, old with { Text = "/data/a:b" }))
            .Kind.Code.ShouldBe("path-refused");
        Should.Throw<Fault>(() => pointers.Swap(Address, old, PointerValue.Absent)).Kind.Code.ShouldBe("path-refused");
        Should
            .Throw<Fault>(() => pointers.Read(Address with { Account = "nils.corde" }))
            .Kind.Code.ShouldBe("account-missing");
        LinuxTree.Sh($"chroot {_tree.Root} usermod -d /elsewhere asa.lind");
        var now = Database;
        Should
            .Throw<Fault>(() => pointers.Swap(Address, old, old with { Text = "/data/x" }))
            .Kind.Code.ShouldBe("pointer-changed");
        Database.ShouldBe(now);
    }

    [Fact]
    public void A_command_that_fails_is_told_in_its_own_words_and_changes_nothing()
    {
        var (pointers, before) = (_tree.Machine().Pointers, Database);
        var old = pointers.Read(Address);
        // The lock of another account command that is still at work: its process must be one that lives.
        File.WriteAllText($"{_tree.Root}/etc/passwd.lock", $"{Environment.ProcessId}");
        var fault = Should.Throw<Fault>(() => pointers.Swap(Address, old, old with { Text = "/data/x" }));
        fault.ShouldSatisfyAllConditions(
            f => f.Kind.Code.ShouldBe("account-command-failed"),
            f => f.Message.ShouldContain("asa.lind")
        );
        Database.ShouldBe(before);
    }

    [Fact]
    public void A_survey_tells_what_depends_on_where_a_home_is()
    {
        LinuxTree.Sh(
            $"mkdir -p {_tree.Home}/.cache {_tree.Root}/etc/apparmor.d/tunables/home.d; dd if=/dev/zero "
                + $"of={_tree.Home}/.cache/big bs=1k count=300 status=none; chown -R 1701:1701 {_tree.Home}"
        );
        File.WriteAllText($"{_tree.Root}/var/spool/cron/crontabs/asa.lind", "0 3 * * * /home/asa.lind/nightly\n");
        File.WriteAllText($"{_tree.Root}/etc/cron.d/other", "# /home/asa.lind\n0 3 * * * root /home/asa.lindberg/x\n");
        File.WriteAllText($"{_tree.Root}/etc/fstab", "/dev/sdb1 /home/asa.lind ext4 defaults 0 2\n");
        File.WriteAllText($"{_tree.Root}/etc/apparmor.d/tunables/home", "@{HOMEDIRS}=/home/\n");
        File.WriteAllText($"{_tree.Root}/etc/apparmor.d/tunables/home.d/site", "@{HOMEDIRS}+=/srv/homes/\n");
        var home = _tree.Survey().Holdings.Single(h => h.Name.Kind == HoldingKind.Home && h.Name.Account == "asa.lind");
        home.Home!.ShouldSatisfyAllConditions(
            h => h.NamedBy.ShouldBe(["the timetable of asa.lind", "`/etc/fstab`"]),
            h => h.CacheBytes.ShouldBe(300 * 1024),
            h => h.Confinement!.Homes.ShouldBe(["/home/", "/srv/homes/"])
        );
        home.DataBytes.ShouldBeGreaterThan(300 * 1024);
        home.Pointers.Single()
            .ShouldSatisfyAllConditions(p => p.Address.ShouldBe(Address), p => p.Resolves.ShouldBe(home.Place));
    }
}
