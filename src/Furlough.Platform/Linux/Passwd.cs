using System.Globalization;

namespace Furlough.Platform.Linux;

/// <summary>One account of the system's account file.</summary>
internal sealed record PasswdEntry(string Name, uint User, uint Group, string Home);

/// <summary>Reads the account file below a root folder.</summary>
internal static class Passwd
{
    private const uint FirstPerson = 1_000, LastPerson = 59_999;

    /// <summary>The accounts of people.</summary>
    internal static IReadOnlyList<PasswdEntry> People(string root)
    {
        var file = root + "/etc/passwd";
        if (!File.Exists(file)) return [];
        List<PasswdEntry> people = [];
        foreach (var line in File.ReadLines(file))
        {
            var f = line.Split(':');
            if (f.Length < 7 || !uint.TryParse(f[2], NumberStyles.None, CultureInfo.InvariantCulture, out var user) || !uint.TryParse(f[3], NumberStyles.None, CultureInfo.InvariantCulture, out var group)) continue;
            if (user is >= FirstPerson and <= LastPerson && f[5].StartsWith('/') && !f[5].Split('/').Contains("..")) people.Add(new PasswdEntry(f[0], user, group, f[5].TrimEnd('/')));
        }
        return people;
    }
}
