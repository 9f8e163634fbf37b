using System.Text;

namespace Furlough.Platform.Linux;

/// <summary>
/// The settings file of user folders: lines NAME="VALUE" in shell syntax, where VALUE begins with $HOME/ or /. Only the
/// line of one setting is ever changed; everything else stays byte for byte.
/// </summary>
internal static class UserDirs
{
    /// <summary>The eight settings and the product's names for their folders.</summary>
    internal static readonly IReadOnlyList<(string Key, string Name)> Keys =
    [
        ("XDG_DESKTOP_DIR", "Desktop"),
        ("XDG_DOCUMENTS_DIR", "Documents"),
        ("XDG_DOWNLOAD_DIR", "Downloads"),
        ("XDG_MUSIC_DIR", "Music"),
        ("XDG_PICTURES_DIR", "Pictures"),
        ("XDG_VIDEOS_DIR", "Videos"),
        ("XDG_TEMPLATES_DIR", "Templates"),
        ("XDG_PUBLICSHARE_DIR", "Public"),
    ];

    /// <summary>The raw value after "=", as it stands in the file (the last line wins), or null.</summary>
    internal static string? Find(byte[]? content, string key)
    {
        string? found = null;
        foreach (var (start, length) in Lines(content ?? []))
            if (ValueOf(content.AsSpan(start, length), key) is { } at)
                found = LinuxName.FromBytes(content.AsSpan(start + at, length - at)).TrimEnd('\r', ' ', '\t');
        return found;
    }

    /// <summary>The content with the setting's last line changed, added at the end, or (null) taken away.</summary>
    internal static byte[]? Replace(byte[]? content, string key, string? value)
    {
        content ??= [];
        (int Start, int Length)? last = null;
        foreach (var line in Lines(content))
            if (ValueOf(content.AsSpan(line.Start, line.Length), key) is not null)
                last = line;
        var wanted = value is null ? [] : LinuxName.ToBytes(value)[..LengthOf(value)];
        if (last is not { } old)
        {
            if (value is null)
                return content.Length == 0 ? null : content;
            var newLine = content.Length > 0 && content[^1] != (byte)'\n' ? "\n" : "";
            return [.. content, .. Encoding.ASCII.GetBytes(newLine + key + "="), .. wanted, (byte)'\n'];
        }
        var end = old.Start + old.Length;
        if (value is null)
        {
            if (end < content.Length)
                end++;
            byte[] rest = [.. content[..old.Start], .. content[end..]];
            return rest.Length == 0 ? null : rest;
        }
        var at = old.Start + ValueOf(content.AsSpan(old.Start, old.Length), key)!.Value;
        while (end > at && content[end - 1] is (byte)'\r' or (byte)' ' or (byte)'\t')
            end--;
        return [.. content[..at], .. wanted, .. content[end..]];
    }

    /// <summary>
    /// The absolute path that a raw value means, or null for one that means none (or the home itself: no folder of its
    /// own).
    /// </summary>
    internal static string? Resolve(string raw, string home)
    {
        if (raw.Length < 2 || raw[0] != '"' || raw[^1] != '"')
            return null;
        var text = new StringBuilder();
        var body = raw[1..^1];
        var inHome = body == "$HOME" || body.StartsWith("$HOME/", StringComparison.Ordinal);
        for (var i = inHome ? 5 : 0; i < body.Length; i++)
        {
            if (body[i] == '\\' && i + 1 < body.Length)
                i++;
            else if (body[i] is '$' or '`' or '"')
                return null;
            text.Append(body[i]);
        }
        var path = (inHome ? home + text : text.ToString()).TrimEnd('/');
        return path.StartsWith('/') && path != home && !path.Split('/').Contains("..") ? path : null;
    }

    /// <summary>An absolute path as a raw value.</summary>
    internal static string Spell(string path)
    {
        var text = new StringBuilder("\"");
        foreach (var c in path)
        {
            if (c is '"' or '\\' or '$' or '`')
                text.Append('\\');
            text.Append(c);
        }
        return text.Append('"').ToString();
    }

    private static int LengthOf(string value)
    {
        var bytes = LinuxName.ToBytes(value);
        return Array.IndexOf(bytes, (byte)0);
    }

    private static IEnumerable<(int Start, int Length)> Lines(byte[] content)
    {
        for (var start = 0; start < content.Length; )
        {
            var end = Array.IndexOf(content, (byte)'\n', start);
            if (end < 0)
                end = content.Length;
            yield return (start, end - start);
            start = end + 1;
        }
    }

    /// <summary>
    /// Where the value begins in a line that sets <paramref name="key"/>, or null for any other line.
    /// </summary>
    private static int? ValueOf(ReadOnlySpan<byte> line, string key)
    {
        var at = 0;
        while (at < line.Length && line[at] is (byte)' ' or (byte)'\t')
            at++;
        var name = Encoding.ASCII.GetBytes(key);
        if (!line[at..].StartsWith(name))
            return null;
        at += name.Length;
        return at < line.Length && line[at] == (byte)'=' ? at + 1 : null;
    }
}
