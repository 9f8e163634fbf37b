using System.Globalization;
using System.Text;

namespace Furlough.Engine;

/// <summary>
/// Writes names that may hold line breaks, controls or bytes that are no text, so that they can be read back exactly.
/// </summary>
public static class PathText
{
    /// <summary>
    /// Percent-escapes controls, '%', and what is not valid text (U+DC80..U+DCFF stand for single bytes).
    /// </summary>
    public static string Escape(string path)
    {
        if (!NeedsEscape(path))
            return path;
        var text = new StringBuilder(path.Length + 8);
        for (var i = 0; i < path.Length; i++)
        {
            var c = path[i];
            if (char.IsHighSurrogate(c) && i + 1 < path.Length && char.IsLowSurrogate(path[i + 1]))
                text.Append(c).Append(path[++i]);
            else if (c is >= '\uDC80' and <= '\uDCFF')
                text.Append(CultureInfo.InvariantCulture, $"%x{c - 0xDC00:X2}");
            else if (char.IsSurrogate(c))
                text.Append(CultureInfo.InvariantCulture, $"%u{(int)c:X4}");
            else if (c is '%' or '\x7f' || c < ' ')
                text.Append(CultureInfo.InvariantCulture, $"%{(int)c:X2}");
            else
                text.Append(c);
        }
        return text.ToString();
    }

    /// <summary>The reverse of <see cref="Escape"/>.</summary>
    /// <exception cref="FormatException">The text was not written by it.</exception>
    public static string Unescape(string text)
    {
        if (!text.Contains('%'))
            return text;
        var path = new StringBuilder(text.Length);
        for (var i = 0; i < text.Length; i++)
        {
            if (text[i] != '%')
                path.Append(text[i]);
            else if (text.Length > i + 3 && text[i + 1] == 'x')
            {
                path.Append((char)(0xDC00 + Hex(text, i + 2, 2)));
                i += 3;
            }
            else if (text.Length > i + 5 && text[i + 1] == 'u')
            {
                path.Append((char)Hex(text, i + 2, 4));
                i += 5;
            }
            else
            {
                path.Append((char)Hex(text, i + 1, 2));
                i += 2;
            }
        }
        return path.ToString();
    }

    /// <summary>The name as it may be shown to people: escaped, right-to-left controls too.</summary>
    public static string Show(string path)
    {
        var escaped = Escape(path);
        return
            escaped.AsSpan().IndexOfAnyInRange('\u202A', '\u202E') < 0
            && escaped.AsSpan().IndexOfAnyInRange('\u2066', '\u2069') < 0
            ? escaped
            : string.Concat(
                escaped.Select(c =>
                    c is (>= '\u202A' and <= '\u202E') or (>= '\u2066' and <= '\u2069')
                        ? $"%u{(int)c:X4}"
                        : c.ToString()
                )
            );
    }

    /// <summary>Whether a whole path, as a system shows it, is a folder's or leads into it.</summary>
    public static bool IsWithin(string path, string folder) =>
        path.StartsWith(folder, StringComparison.Ordinal)
        && (path.Length == folder.Length || path[folder.Length] is '/' or '\\' or '|');

    private static int Hex(string text, int at, int length) =>
        int.TryParse(
            text.AsSpan(at, Math.Min(length, text.Length - at)),
            NumberStyles.AllowHexSpecifier,
            CultureInfo.InvariantCulture,
            out var value
        )
            ? value
            : throw new FormatException($"'{text}' holds an unfinished escape.");

    private static bool NeedsEscape(string path)
    {
        foreach (var c in path)
            if (c is '%' or '\x7f' || c < ' ' || char.IsSurrogate(c))
                return true;
        return false;
    }
}
