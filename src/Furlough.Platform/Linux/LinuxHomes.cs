using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>What on a Linux system depends on where a home is.</summary>
internal sealed class LinuxHomes(LinuxVolumes volumes)
{
    private const int MostBytes = 1 << 20;
    private static readonly string[] Files =
        ["/etc/crontab", "/etc/fstab", "/etc/samba/smb.conf", "/etc/ssh/sshd_config", "/etc/exports"],
        Folders = ["/etc/cron.d", "/etc/systemd/system", "/etc/ssh/sshd_config.d"];

    /// <param name="cacheBytes">What its caches take.</param>
    internal HomeFacts LookAt(PasswdEntry account, long cacheBytes) =>
        new([.. NamedBy(account)], cacheBytes, Confinement());

    /// <summary>Files of the system, and the account's timetable, that name the home by its path.</summary>
    private IEnumerable<string> NamedBy(PasswdEntry account)
    {
        if (Names($"{volumes.Root}/var/spool/cron/crontabs/{account.Name}", account.Home))
            yield return $"the timetable of {account.Name}";
        var further = Folders
            .Select(f => volumes.Root + f)
            .Where(Directory.Exists)
            .SelectMany(f => Directory.EnumerateFiles(f))
            .Select(f => f[volumes.Root.Length..]);
        foreach (var file in Files.Concat(further.Order(StringComparer.Ordinal)))
            if (Names(volumes.Root + file, account.Home))
                yield return $"`{file}`";
    }

    private static bool Names(string file, string home)
    {
        try
        {
            var info = new FileInfo(file);
            return info is { Exists: true, LinkTarget: null, Length: <= MostBytes }
                && File.ReadLines(file).Any(l => !l.TrimStart().StartsWith('#') && IsNamed(l, home));
        }
        catch (Exception unread) when (unread is IOException or UnauthorizedAccessException)
        {
            return false;
        }
    }

    /// <summary>The path itself or something below it, not another path that begins so.</summary>
    private static bool IsNamed(string line, string home)
    {
        for (
            var at = line.IndexOf(home, StringComparison.Ordinal);
            at >= 0;
            at = line.IndexOf(home, at + 1, StringComparison.Ordinal)
        )
            if (
                at + home.Length == line.Length
                || !(char.IsLetterOrDigit(line[at + home.Length]) || line[at + home.Length] is '.' or '-' or '_')
            )
                return true;
        return false;
    }

    /// <summary>Where the system holds programs to lists of paths, these say where homes are.</summary>
    private Confinement? Confinement()
    {
        const string lists = "/etc/apparmor.d/tunables/home",
            more = "/etc/apparmor.d/tunables/home.d",
            labels = "/etc/selinux/config";
        if (File.Exists(volumes.Root + lists))
        {
            var files = Directory.Exists(volumes.Root + more)
                ? Directory.EnumerateFiles(volumes.Root + more).Prepend(volumes.Root + lists)
                : [volumes.Root + lists];
            var homes = files
                .SelectMany(File.ReadLines)
                .Where(l => l.StartsWith("@{HOMEDIRS}", StringComparison.Ordinal))
                .SelectMany(l => l[(l.IndexOf('=') + 1)..].Split(' ', StringSplitOptions.RemoveEmptyEntries))
                .Distinct()
                .ToList();
            return new Confinement(
                "AppArmor",
                homes,
                $"Add the folder of the new homes to @{{HOMEDIRS}} in a file in `{more}` and load the profiles again, or accept it."
            );
        }
        return
            File.Exists(volumes.Root + labels)
            && File.ReadLines(volumes.Root + labels).Any(l => l.Trim() == "SELINUX=enforcing")
            ? new Confinement(
                "SELinux",
                ["/home/"],
                "Let the new place have the labels of homes (`semanage fcontext`, `restorecon`), or accept it."
            )
            : null;
    }
}
