using System.Diagnostics;
using System.Runtime.InteropServices;
using System.Text;
using Furlough.Model;
using Furlough.Platform.Linux;

namespace Furlough.Platform.Tests;

/// <summary>
/// A small Linux system in a folder of its own, with a second volume mounted below it. Needs root; removes itself.
/// </summary>
public sealed class LinuxTree : IDisposable
{
    private readonly List<string> _mounts = [];
    private readonly List<string> _images = [];

    /// <summary>A Debian made by debootstrap, which scripts/install-system-tools keeps.</summary>
    private const string Debian = "/var/cache/furlough-tests/debian";

    /// <param name="whole">A whole Debian with its own commands, and accounts made by them.</param>
    /// <param name="systemVolume">The file system of a volume of its own for the system; null: it lies on the
    /// host's.</param>
    public LinuxTree(string secondVolume = "ext4", int megabytes = 512, bool whole = false, string? systemVolume = null)
    {
        Root = Directory.CreateTempSubdirectory("furlough-tree-").FullName;
        if (systemVolume is not null)
            MountVolume(systemVolume, Root, megabytes);
        if (whole)
            Sh(
                $"cp -a {Debian}/. {Root}; for a in asa.lind:1701 keeper:1900; do chroot {Root} useradd --badname "
                    + $"-u ${{a#*:}} -m -s /bin/sh ${{a%:*}}; done; chroot {Root} usermod -p '!' asa.lind"
            );
        else
            MakeSmall();
        Sh(
            $"mkdir -p {Root}/data {Home}/.config {Root}/var/lib/furlough-agent; mkdir -m 700 "
                + $"{Root}/var/lib/furlough-agent/barred; chown 1701:1701 {Home}/.config; chmod 700 {Home}"
        );
        MountVolume(secondVolume, $"{Root}/data", megabytes);
    }

    private void MakeSmall()
    {
        Sh($"chmod 755 {Root}; mkdir -p {Root}/etc {Root}/home");
        File.WriteAllText(
            $"{Root}/etc/passwd",
            "root:x:0:0::/root:/bin/sh\nasa.lind:x:1701:1701::/home/asa.lind:/bin/sh\nkeeper:x:1900:1900::/home/keeper:/bin/sh\n"
        );
        File.WriteAllText($"{Root}/etc/group", "asa.lind:x:1701:\nkeeper:x:1900:\n");
        File.WriteAllText(
            $"{Root}/etc/shadow",
            "root:*:19000:0:99999:7:::\nasa.lind:!:19000:0:99999:7:::\nkeeper:!:19000:0:99999:7:::\n"
        );
        Sh(
            $"touch {Root}/etc/.pwd.lock; chmod 600 {Root}/etc/shadow {Root}/etc/.pwd.lock; mkdir -p "
                + $"{Root}/home/asa.lind/.config {Root}/home/keeper; chown -R 1701:1701 {Root}/home/asa.lind"
        );
    }

    /// <summary>What a command prints that an account of the tree runs, signed in again.</summary>
    public string As(string account, string command) =>
        Sh($"chroot {Root} su - {account} -c '{command.Replace("'", "'\\''", StringComparison.Ordinal)}'").Trim();

    public string Root { get; }

    public string Home => $"{Root}/home/asa.lind";

    /// <summary>A path as the machine itself shows it.</summary>
    public string Shown(string path) => path[Root.Length..];

    public string UserDirs => $"{Home}/.config/user-dirs.dirs";

    public LinuxMachine Machine() => new(Root, "keeper", "test", TimeProvider.System);

    public Survey Survey() => Machine().Surveyor.Take([], [], _ => false, CancellationToken.None);

    /// <summary>Mounts a fresh volume of a file system type.</summary>
    public string MountVolume(string type, string point, int megabytes)
    {
        Directory.CreateDirectory(point);
        if (type == "tmpfs")
            Sh($"mount -t tmpfs -o size={megabytes}m,mode=755 tmpfs {point}");
        else
        {
            var image = Path.Combine(Path.GetTempPath(), $"furlough-{Guid.NewGuid():N}.img");
            _images.Add(image);
            var make = type switch
            {
                "xfs" => "mkfs.xfs -q",
                "btrfs" => "mkfs.btrfs -q",
                "ntfs" => "mkntfs -q -F -f",
                "exfat" => "mkfs.exfat",
                _ => $"mkfs.{type} -q -F",
            };
            var mount = type switch
            {
                "ntfs" => "mount -t ntfs-3g",
                "exfat" => "mount -t exfat-fuse",
                _ => "mount",
            };
            Sh($"truncate -s {megabytes}M {image}; {make} {image} >/dev/null 2>&1; {mount} -o loop {image} {point}");
        }
        _mounts.Add(point);
        return point;
    }

    /// <summary>The file behind a volume, in the order in which they were mounted.</summary>
    public string Image(int number) => _images[number];

    /// <summary>Takes a volume away even while something of it is open.</summary>
    public void Detach(string point)
    {
        Sh($"umount -l {point}");
        _mounts.Remove(point);
    }

    /// <summary>
    /// Takes away a volume of which nothing is open any more; what is mounted afterwards from the same image is read
    /// afresh, which matters for one that died.
    /// </summary>
    public void Unmount(string point)
    {
        // Another test that starts a program holds copies of all open files for a moment.
        Sh($"for i in $(seq 100); do umount {point} 2>/dev/null && exit 0; sleep 0.1; done; umount {point}");
        _mounts.Remove(point);
    }

    public void MountAgain(string point, int image = 0)
    {
        // What was unmounted lazily may be busy for a moment.
        Sh(
            $"for i in $(seq 50); do mount -o loop {_images[image]} {point} 2>/dev/null && exit 0; sleep 0.1; done; exit 1"
        );
        _mounts.Add(point);
    }

    public void Setting(string text)
    {
        File.WriteAllText(UserDirs, text);
        Sh($"chown 1701:1701 {UserDirs}");
    }

    /// <summary>A folder with everything that makes copying hard.</summary>
    public void FillHard(string folder, int files, int sparseMegabytes = 20)
    {
        Directory.CreateDirectory(folder);
        for (var i = 0; i < files; i++)
        {
            var dir = $"{folder}/batch-{i / 500:D3}";
            if (i % 500 == 0)
                Directory.CreateDirectory(dir);
            File.WriteAllText($"{dir}/count-{i:D5}.txt", $"quadrat {i}\n" + new string('x', i % 3000));
        }
        Sh(
            $$"""
            cd '{{folder}}'
            echo hidden > .hidden; mkdir .cache; echo x > .cache/y
            touch "$(printf 'two\nlines')";
            printf odd > "$(printf 'odd-\xff\xfe-bytes')";
            echo deep > "$(head -c 255 /dev/zero | tr '\0' n)"
            d=.; for i in $(seq 60); do d=$d/l; done; mkdir -p $d; echo bottom > $d/file
            ln -s nowhere dangling; ln -s /etc/hostname absolute; ln -s .. parent; ln -s "$(printf 'to-\xff')" odd-link
            echo linked > one; ln one two; mkdir sub; ln one sub/three
            truncate -s {{sparseMegabytes}}M sparse; echo data | dd of=sparse bs=1 seek={{sparseMegabytes * 700_000
                + 1}} conv=notrunc 2>/dev/null
            echo attr > with-xattr; setfattr -n user.origin -v field with-xattr;
            setfattr -n user.binary -v 0x00ff01 with-xattr; setfattr -n user.folder -v yes sub
            echo acl > with-acl; setfacl -m u:1900:r with-acl; setfacl -d -m g:1900:rx sub
            echo s > setuid; mkfifo pipe; mkdir empty
            chown -R 1701:1701 .; chmod 4755 setuid; chmod 2750 sub; chmod 1700 empty; chown 1900:1701 with-acl
            touch -d '2001-02-03 04:05:06.789012345' empty one;
            touch -h -d '1999-01-01 00:00:01.5' dangling;
            touch -d '2010-10-10 10:10:10.123456789' .
            """
        );
    }

    /// <summary>Everything that can be said about a tree, but for change times and file numbers.</summary>
    public static string Describe(string folder) =>
        Sh(
            $$"""
            cd '{{folder}}'
            find . -print0 | LC_ALL=C sort -z | xargs -0 stat --printf '%N|%f|%u|%g|%s|%y|%h\n' |
            sed -E 's/^(.*\|4[0-9a-f]{3}\|[0-9]+\|[0-9]+\|)[0-9]+(\|.*)\|[0-9]+$/\1\2/'
            find . -type f -print0 | LC_ALL=C sort -z | xargs -0 sha256sum
            find . -type f -links +1 -printf '%i %p\n' | sort | awk '{if($1!=p){n++;p=$1} print n,$2}' | LC_ALL=C sort -k2
            getfattr -R -d -h -m - . 2>/dev/null | grep -v trusted.SGI_ACL_ | sort; getfacl -R -p . 2>/dev/null
            """
        );

    /// <summary>The lines in which two descriptions differ; empty when they are equal.</summary>
    public static string Difference(string before, string after)
    {
        var (old, now) = (before.Split('\n'), after.Split('\n'));
        return string.Join(
            '\n',
            old.Except(now).Take(5).Select(l => "- " + l).Concat(now.Except(old).Take(5).Select(l => "+ " + l))
        );
    }

    /// <summary>
    /// The ids of the programs with a name that run inside this tree; other tests' trees may run the same ones for the
    /// same account.
    /// </summary>
    /// <param name="words">What their command line contains.</param>
    public IReadOnlyList<int> Running(string name, string words = "") =>
        [
            .. Running()
                .Where(id =>
                    Told(() => File.ReadAllText($"/proc/{id}/comm").TrimEnd()) == name
                    && Told(() => File.ReadAllText($"/proc/{id}/cmdline").Replace('\0', ' '))
                        ?.Contains(words, StringComparison.Ordinal) == true
                ),
        ];

    /// <summary>Ends the programs with a name that run inside this tree.</summary>
    public void End(string name) => End(Running(name));

    private static void End(IEnumerable<int> ids) => Sh(string.Concat(ids.Select(id => $"kill {id} || true\n")));

    private IEnumerable<int> Running() =>
        Directory
            .EnumerateDirectories("/proc")
            .Select(p => int.TryParse(Path.GetFileName(p), out var id) ? id : 0)
            .Where(id => id > 0 && Told(() => new FileInfo($"/proc/{id}/root").LinkTarget) == Root);

    /// <summary>What is said of a process that may have ended meanwhile.</summary>
    private static string? Told(Func<string?> ask)
    {
        try
        {
            return ask();
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }

    public static string Sh(string script)
    {
        var start = new ProcessStartInfo("bash", ["-ec", script])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            StandardOutputEncoding = Encoding.Latin1,
        };
        using var process = Process.Start(start)!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return process.ExitCode == 0
            ? output
            : throw new InvalidOperationException($"{script}\nexit {process.ExitCode}: {error.Result}");
    }

    public void Dispose()
    {
        End(Running());
        foreach (var mount in Enumerable.Reverse(_mounts).ToList())
            Sh($"umount -l {mount} || true");
        foreach (var image in _images)
            File.Delete(image);
        Sh($"rm -rf --one-file-system {Root}");
    }
}
