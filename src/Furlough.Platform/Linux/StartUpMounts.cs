namespace Furlough.Platform.Linux;

/// <summary>
/// What a system mounts when it starts, before anyone signs in: by fstab(5) and by enabled units of systemd.mount(5),
/// with what crypttab(5) unlocks for them.
/// </summary>
/// <param name="root">The root folder of the system.</param>
internal sealed class StartUpMounts(string root)
{
    private const string Units = "/etc/systemd/system";

    private static readonly string[] Identities =
    [
        "UUID=",
        "LABEL=",
        "PARTUUID=",
        "PARTLABEL=",
        "ID=",
        "/dev/disk/by-",
        "/dev/mapper/",
    ];

    /// <summary>
    /// Whether something is mounted at a place at start-up by a name that stays the same wherever it is plugged in, and
    /// everything that encrypts it is unlocked.
    /// </summary>
    /// <param name="point">The place, as the system shows it.</param>
    /// <param name="encryption">Names of the devices that encrypt what is mounted there.</param>
    internal bool HasByIdentity(string point, IEnumerable<string> encryption) =>
        (InTable(point) || InUnits(point)) && encryption.All(Unlocks);

    private bool InTable(string point) =>
        Fields("/etc/fstab")
            .Any(f =>
                f is [var what, var where, _, var options, ..]
                && where.Replace("\\040", " ", StringComparison.Ordinal) == point
                && IsIdentity(what)
                && !options.Split(',').Contains("noauto")
            );

    private bool InUnits(string point)
    {
        if (!Directory.Exists(root + Units))
            return false;
        foreach (var unit in Directory.EnumerateFiles(root + Units, "*.mount").Select(f => Path.GetFileName(f)))
        {
            var lines = Lines($"{Units}/{unit}");
            if (
                Value(lines, "Where") == point
                && Value(lines, "What") is { } what
                && IsIdentity(what)
                && IsEnabled(unit)
            )
                return true;
        }
        return false;
    }

    /// <summary>
    /// A unit is enabled by a link in a folder of what wants or requires it; it may be mounted on first access.
    /// </summary>
    private bool IsEnabled(string unit) =>
        ((string[])["*.wants", "*.requires"])
            .SelectMany(f => Directory.EnumerateDirectories(root + Units, f))
            .Any(f =>
                Exists(Path.Combine(f, unit)) || Exists(Path.Combine(f, Path.ChangeExtension(unit, "automount")))
            );

    /// <summary>A link counts wherever it leads: it leads somewhere in that system.</summary>
    private static bool Exists(string path) =>
        new FileInfo(path) is var file && (file.Exists || file.LinkTarget is not null);

    private bool Unlocks(string encryption) =>
        Fields("/etc/crypttab")
            .Any(f =>
                f is [var name, var device, ..]
                && name == encryption
                && IsIdentity(device)
                && !(f.Length > 3 && f[3].Split(',').Contains("noauto"))
            );

    private static bool IsIdentity(string what) => Identities.Any(i => what.StartsWith(i, StringComparison.Ordinal));

    private static string? Value(string[] lines, string key) =>
        lines.LastOrDefault(l => l.StartsWith($"{key}=", StringComparison.Ordinal))?[(key.Length + 1)..].Trim();

    private IEnumerable<string[]> Fields(string file) =>
        Lines(file)
            .Select(l => l.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries))
            .Where(f => f is [var first, ..] && first[0] != '#');

    private string[] Lines(string file)
    {
        try
        {
            return File.ReadAllLines(root + file);
        }
        catch (Exception none) when (none is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
