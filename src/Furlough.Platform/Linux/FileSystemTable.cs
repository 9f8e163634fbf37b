namespace Furlough.Platform.Linux;

/// <summary>The table of file systems that are mounted at start-up, fstab(5).</summary>
internal static class FileSystemTable
{
    private static readonly string[] Identities = ["UUID=", "LABEL=", "PARTUUID=", "PARTLABEL=", "ID=", "/dev/disk/by-", "/dev/mapper/"];

    /// <summary>Whether a line of the table mounts something at a place at start-up, and names it by what stays the same wherever it is plugged in.</summary>
    /// <param name="root">The root folder of the system.</param>
    /// <param name="point">The place, as the system shows it.</param>
    internal static bool NamesByIdentity(string root, string point)
    {
        try
        {
            return File.ReadLines(root + "/etc/fstab").Select(l => l.Split([' ', '\t'], StringSplitOptions.RemoveEmptyEntries)).Any(f => f is [var what, var where, _, var options, ..] && what[0] != '#'
                && where.Replace("\\040", " ", StringComparison.Ordinal) == point && Identities.Any(i => what.StartsWith(i, StringComparison.Ordinal)) && !options.Split(',').Contains("noauto"));
        }
        catch (IOException) { return false; }
    }
}
