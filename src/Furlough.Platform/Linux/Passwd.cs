using System.Globalization;

namespace Furlough.Platform.Linux;

/// <summary>One account of the system's account file.</summary>
internal sealed record PasswdEntry(string Name, uint User, uint Group, string Home);

/// <summary>Reads the account and group files below a root folder.</summary>
internal static class Passwd
{
    private const uint FirstPerson = 1_000,
        LastPerson = 59_999;

    /// <summary>Stands for what all accounts of a machine share: it belongs to the system.</summary>
    internal static PasswdEntry System { get; } = new("", 0, 0, "");

    /// <summary>The accounts of people.</summary>
    internal static IReadOnlyList<PasswdEntry> People(string root)
    {
        List<PasswdEntry> people = [];
        foreach (var f in Lines(root + "/etc/passwd", 7))
        {
            if (Number(f[2]) is not { } user || Number(f[3]) is not { } group)
                continue;
            if (IsPersons(user) && f[5].StartsWith('/') && !f[5].Split('/').Contains(".."))
                people.Add(new PasswdEntry(f[0], user, group, f[5].TrimEnd('/')));
        }
        return people;
    }

    /// <summary>An account's home as it is written; null for no such account.</summary>
    internal static string? HomeOf(string root, string account) =>
        Lines(root + "/etc/passwd", 7).FirstOrDefault(f => f[0] == account)?[5];

    /// <summary>The name of an account by its number, or the number.</summary>
    internal static string NameOf(string root, uint user) =>
        Lines(root + "/etc/passwd", 7).FirstOrDefault(f => Number(f[2]) == user)?[0]
        ?? user.ToString(CultureInfo.InvariantCulture);

    /// <summary>Groups that are not the system's own.</summary>
    internal static IEnumerable<(string Name, uint Number)> OwnGroups(string root) =>
        Groups(root).Where(g => IsPersons(g.Number)).Select(g => (g.Name, g.Number));

    /// <summary>All groups with the accounts that the group file puts into them.</summary>
    internal static IEnumerable<(string Name, uint Number, IReadOnlySet<string> Members)> Groups(string root) =>
        Lines(root + "/etc/group", 4)
            .Where(f => Number(f[2]) is not null)
            .Select(f =>
                (f[0], Number(f[2])!.Value, (IReadOnlySet<string>)f[3].Split(',').ToHashSet(StringComparer.Ordinal))
            );

    private static IEnumerable<string[]> Lines(string file, int fields) =>
        File.Exists(file) ? File.ReadLines(file).Select(l => l.Split(':')).Where(f => f.Length >= fields) : [];

    private static uint? Number(string text) =>
        uint.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;

    private static bool IsPersons(uint number) => number is >= FirstPerson and <= LastPerson;
}
