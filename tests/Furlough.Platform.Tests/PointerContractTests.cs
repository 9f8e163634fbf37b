using System.Text;
using Furlough.Engine;
using Furlough.Model;
using Shouldly;
using Xunit;

namespace Furlough.Platform.Tests;

/// <summary>What every pointer of an account's home promises, whatever it is written in.</summary>
public sealed class PointerContractTests : IDisposable
{
    private const string Home = "/home/asa.lind",
        Old = "/home/asa.lind/Old",
        New = "/data/People/It's new";

    private readonly LinuxTree _tree = new("tmpfs", 64);

    public void Dispose() => _tree.Dispose();

    /// <summary>
    /// Kind, key, and the file with {0} for the path; UTF-16 where the kind ends in 16, with a mark where it says so.
    /// </summary>
    public static TheoryData<string, string, string> Kinds() =>
        new()
        {
            { "xdg-user-dirs", "XDG_MUSIC_DIR", "# mine\nXDG_MUSIC_DIR=\"{0}\"\n" },
            { "ini", "store/path", "; mine\r\n[store]\r\npath={0}\r\nnext=1" },
            { "ini 16", "store/path", "[store]\r\npath={0}\r\n" },
            { "ini marked", "store/path", "[store]\npath={0}\n" },
            { "environment", "STORE", "export STORE=\"{0}\" \n" },
            { "properties", "store", "store = {0}\n" },
            { "json", "store/path", "{\"store\":{\"path\":\"{0}\",},}" },
            { "xml", "store/@path", "<store path='{0}'/>\n" },
            { "toml", "store/path", "[store]\npath = '{0}' # here\n" },
            { "yaml", "store/path", "store:\n  path: \"{0}\"   # here\n" },
            { "link", "", "{0}" },
        };

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_value_is_changed_led_back_and_nothing_else_differs_I6(string kind, string key, string text)
    {
        var (address, path) = Make(kind, key, text);
        var before = Content(path);
        var (pointers, old) = (_tree.Machine().Pointers, Read(address));
        var next = pointers.Spell(address, Place(), old);
        pointers.Swap(address, old, next);
        Read(address).ShouldBe(next);
        Content(path).ShouldNotBe(before);
        pointers.Swap(address, next, old);
        Content(path).ShouldBe(before);
        LinuxTree.Sh($"stat -c %u '{path}'").Trim().ShouldBe("1701");
        Directory.GetFileSystemEntries(Path.GetDirectoryName(path)!).ShouldBe([path], "nothing stays beside it");
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_value_that_somebody_else_changed_is_refused_and_stands_I6(string kind, string key, string text)
    {
        var (address, path) = Make(kind, key, text);
        var old = Read(address);
        Put(kind, path, text, "/home/asa.lind/Elsewhere");
        var now = Content(path);
        Should
            .Throw<Fault>(() =>
                _tree
                    .Machine()
                    .Pointers.Swap(
                        address,
                        old,
                        old with
                        {
                            Text = old.Text!.Replace("Old", "Other", StringComparison.Ordinal),
                        }
                    )
            )
            .Kind.Code.ShouldBe("pointer-changed");
        Content(path).ShouldBe(now);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_link_on_the_way_is_not_followed_I8(string kind, string key, string text)
    {
        var (address, path) = Make(kind, key, text);
        var old = Read(address);
        var folder = Path.GetDirectoryName(path)!;
        LinuxTree.Sh(
            $"mkdir {_tree.Root}/elsewhere; mv {folder} {_tree.Root}/elsewhere/there; ln -s {_tree.Root}/elsewhere/there {folder}"
        );
        var there = $"{_tree.Root}/elsewhere/there/{Path.GetFileName(path)}";
        var before = Content(there);
        Should.Throw<Fault>(() =>
            _tree
                .Machine()
                .Pointers.Swap(
                    address,
                    old,
                    old with
                    {
                        Text = old.Text!.Replace("Old", "Other", StringComparison.Ordinal),
                    }
                )
        );
        Content(there).ShouldBe(before);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void An_address_outside_of_its_account_s_home_is_refused(string kind, string key, string text)
    {
        var (address, _) = Make(kind, key, text);
        foreach (
            var wrong in (PointerAddress[])
                [
                    address with
                    {
                        Account = "keeper",
                    },
                    address with
                    {
                        Account = "nobody",
                    },
                    address with
                    {
                        Container = "/etc/passwd",
                    },
                    address with
                    {
                        Container = $"{Home}/../keeper/x",
                    },
                ]
        )
            Should.Throw<Fault>(() => _tree.Machine().Pointers.Read(wrong), $"{wrong}");
    }

    [Theory]
    [InlineData("ini", "store/path", "[store]\npath=/data/People/It's new\n")]
    [InlineData("environment", "STORE", "STORE=\"/data/People/It's new\"\n")]
    [InlineData("profile", "STORE", "export STORE=\"/data/People/It's new\"\n")]
    [InlineData("properties", "store", "store=/data/People/It's new\n")]
    [InlineData("json", "store/path", "{\"store\":  {\"path\": \"/data/People/It's new\"}}")]
    public void A_setting_without_a_file_is_made_with_its_folder_and_goes_with_its_file(
        string kind,
        string key,
        string text
    )
    {
        var pointers = _tree.Machine().Pointers;
        foreach (
            var (account, shown, owner, mode) in (ReadOnlySpan<(string, string, string, string)>)
                [
                    ("asa.lind", $"{Home}/.config/of a program/deep/rc", "1701 1701", "600"),
                    ("", "/etc/of-a-program/d/rc", "0 0", "644"),
                ]
        )
        {
            var address = new PointerAddress(kind, shown, key, account);
            pointers.Read(address).ShouldBe(PointerValue.Absent);
            var next = pointers.Spell(address, Place(), PointerValue.Absent);
            pointers.Swap(address, PointerValue.Absent, next);
            File.ReadAllText(_tree.Root + shown).ShouldBe(text);
            LinuxTree.Sh($"stat -c '%u %g %a' '{_tree.Root}{shown}'").Trim().ShouldBe($"{owner} {mode}");
            LinuxTree
                .Sh($"stat -c '%u %g %a' '{Path.GetDirectoryName(_tree.Root + shown)}'")
                .Trim()
                .ShouldBe($"{owner} {(account.Length == 0 ? "755" : "700")}");
            Should
                .Throw<Fault>(() => pointers.Swap(address, PointerValue.Absent, next))
                .Kind.Code.ShouldBe("pointer-changed");
            pointers.Swap(address, next, PointerValue.Absent);
            File.Exists(_tree.Root + shown).ShouldBeFalse();

            pointers.Swap(address, PointerValue.Absent, next);
            var by = kind is "json" ? "{\"manually\": 1, " + text[1..] : text + "other=1\n";
            File.WriteAllText(_tree.Root + shown, by);
            pointers.Swap(address, next, PointerValue.Absent);
            File.ReadAllText(_tree.Root + shown)
                .ShouldBe(
                    kind switch
                    {
                        "json" => "{\"manually\": 1}",
                        "ini" => "[store]\nother=1\n",
                        _ => "other=1\n",
                    }
                );
        }
    }

    [Fact]
    public void What_all_accounts_share_stands_below_the_system_s_settings_folder_only()
    {
        foreach (var wrong in (string[])["/home/asa.lind/.config/rc", "/var/rc", "/etc/../home/rc", "/etc"])
            Should
                .Throw<Fault>(() => _tree.Machine().Pointers.Read(new PointerAddress("ini", wrong, "a/b", "")))
                .Kind.Code.ShouldBe("account-missing");
    }

    [Fact]
    public void What_others_write_into_the_file_meanwhile_stays_and_so_do_bytes_that_are_no_text_I6()
    {
        var (address, path) = Make("ini", "store/path", "[store]\npath={0}\n[odd]\n");
        byte[] odd = [(byte)'x', (byte)'=', 0xff, 0xfe, (byte)'\n'];
        using (var file = File.Open(path, FileMode.Append))
            file.Write(odd);
        var pointers = _tree.Machine().Pointers;
        var (a, b) = (Read(address), new PointerValue("text", New));
        var writer = new Thread(() =>
        {
            for (var i = 0; i < 200; i++)
                File.AppendAllText(path, $"; manually {i}\n");
        });
        writer.Start();
        for (var i = 0; i < 20; i++)
            pointers.Swap(address, i % 2 == 0 ? a : b, i % 2 == 0 ? b : a);
        writer.Join();
        File.ReadAllBytes(path).AsSpan().IndexOf(odd).ShouldBeGreaterThan(0);
        Read(address).ShouldBe(a);
    }

    private Place Place() => new(_tree.Survey().Volumes.First(v => !v.System).Identity.Key, New["/data/".Length..]);

    private PointerValue Read(PointerAddress address) => _tree.Machine().Pointers.Read(address);

    private (PointerAddress Address, string Path) Make(string kind, string key, string text)
    {
        var shown = kind == "xdg-user-dirs" ? $"{Home}/.config/user-dirs.dirs" : $"{Home}/.config/of-a-program";
        var path = _tree.Root + shown;
        Put(kind, path, text, Old);
        return (new PointerAddress(kind.Split(' ')[0], shown, key, "asa.lind"), path);
    }

    private static void Put(string kind, string path, string text, string value)
    {
        File.Delete(path);
        var filled = text.Replace("{0}", value, StringComparison.Ordinal);
        if (kind == "link")
            File.CreateSymbolicLink(path, filled);
        else
            File.WriteAllText(
                path,
                filled,
                kind.EndsWith("16", StringComparison.Ordinal)
                    ? new UnicodeEncoding(false, true)
                    : new UTF8Encoding(kind.EndsWith("marked", StringComparison.Ordinal))
            );
        LinuxTree.Sh($"chown -h 1701:1701 '{path}'");
    }

    private static string Content(string path) =>
        new FileInfo(path).LinkTarget ?? Convert.ToHexString(File.ReadAllBytes(path));
}
