using System.Globalization;
using System.Text;

namespace Furlough.Platform.Linux;

/// <summary>One mount as the kernel lists it.</summary>
internal sealed record Mount(
    int Id,
    string Device,
    string SubRoot,
    string Point,
    string FileSystem,
    string Source,
    bool Writable
);

/// <summary>Reads the kernel's list of mounts.</summary>
internal static class MountTable
{
    /// <summary>All mounts, later ones after those they cover.</summary>
    internal static IReadOnlyList<Mount> Read() => Parse(File.ReadAllText("/proc/self/mountinfo", Encoding.UTF8));

    /// <summary>All mounts as a process sees them; none where it has gone.</summary>
    internal static IReadOnlyList<Mount> TryRead(int process)
    {
        try
        {
            return Parse(File.ReadAllText($"/proc/{process}/mountinfo", Encoding.UTF8));
        }
        catch (Exception gone) when (gone is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    internal static IReadOnlyList<Mount> Parse(string text)
    {
        List<Mount> mounts = [];
        foreach (var line in text.Split('\n', StringSplitOptions.RemoveEmptyEntries))
        {
            var fields = line.Split(' ');
            var dash = Array.IndexOf(fields, "-", 6);
            if (dash < 0 || fields.Length < dash + 4)
                continue;
            var writable = fields[5].Split(',').Contains("rw") && fields[dash + 3].Split(',').Contains("rw");
            mounts.Add(
                new Mount(
                    int.Parse(fields[0], CultureInfo.InvariantCulture),
                    fields[2],
                    Unescape(fields[3]),
                    Unescape(fields[4]),
                    fields[dash + 1],
                    Unescape(fields[dash + 2]),
                    writable
                )
            );
        }
        return mounts;
    }

    /// <summary>A path as it is, of one in which the kernel wrote odd characters as octal numbers.</summary>
    internal static string Unescape(string field)
    {
        if (!field.Contains('\\'))
            return field;
        var text = new StringBuilder();
        for (var i = 0; i < field.Length; i++)
        {
            if (field[i] == '\\' && i + 3 < field.Length)
            {
                text.Append((char)Convert.ToInt32(field.Substring(i + 1, 3), 8));
                i += 3;
            }
            else
                text.Append(field[i]);
        }
        return text.ToString();
    }
}
