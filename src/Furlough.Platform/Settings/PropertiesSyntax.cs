using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Furlough.Platform.Settings;

/// <summary>
/// Lines NAME=VALUE, NAME: VALUE or NAME VALUE with escapes by backslash; a backslash at the end of a line joins the
/// next one. The last line of a name counts. A key is (name).
/// </summary>
internal sealed partial class PropertiesSyntax : SettingSyntax
{
    private static readonly Escapes Escaped = new(
        "ntrf",
        "\n\t\r\f",
        new Dictionary<char, int> { ['u'] = 4 },
        OthersStand: true
    );

    internal override Range? Locate(string text, IReadOnlyList<string> key) => Find(text, key)?.Value;

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        var name = Encode(key[0], null)
            .Replace(" ", "\\ ", StringComparison.Ordinal)
            .Replace("=", "\\=", StringComparison.Ordinal)
            .Replace(":", "\\:", StringComparison.Ordinal);
        return WithLine(text, text.Length, $"{name}={raw}");
    }

    /// <summary>Some readers put other values in the place of variables.</summary>
    internal override string? Refuses(string value) =>
        base.Refuses(value)
        ?? (
            value.Contains("${", StringComparison.Ordinal) ? "has a sign that some readers of such files expand" : null
        );

    internal override string? Empty(IReadOnlyList<string> key) => "";

    internal override string Remove(string text, IReadOnlyList<string> key) =>
        Find(text, key) is { } found ? WithoutLine(text, found.Line) : text;

    internal override string? Decode(string raw) => Escaped.Decode(Joint().Replace(raw, "$1"));

    internal override string Encode(string value, string? present)
    {
        var text = new StringBuilder();
        foreach (var c in value)
        {
            if (c is '\\' || (c == ' ' && text.Length == 0))
                text.Append('\\').Append(c);
            else if (c is < ' ' or > '~')
                text.Append(CultureInfo.InvariantCulture, $"\\u{(int)c:x4}");
            else
                text.Append(c);
        }
        return text.ToString();
    }

    private (Range Value, (int, int, int) Line)? Find(string text, IReadOnlyList<string> key)
    {
        if (key.Count != 1)
            throw NotUnderstood("a key of it is one name");
        (Range, (int, int, int))? found = null;
        foreach (var line in Joined(text))
        {
            var start = Trimmed(text, line.Start, line.End).Start.Value;
            if (start == line.End || text[start] is '#' or '!')
                continue;
            var end = start;
            while (end < line.End && text[end] is not ('=' or ':' or ' ' or '\t'))
                end += text[end] == '\\' ? 2 : 1;
            end = Math.Min(end, line.End);
            if (Decode(text[start..end]) != key[0])
                continue;
            var value = Trimmed(text, end, line.End).Start.Value;
            if (value < line.End && text[value] is '=' or ':')
                value = Trimmed(text, value + 1, line.End).Start.Value;
            found = (value..line.End, line);
        }
        return found;
    }

    /// <summary>
    /// A backslash at the end of a line and the blanks at the beginning of the next one, after other escapes.
    /// </summary>
    [GeneratedRegex(@"((?<!\\)(?:\\\\)*)\\(?:\r\n|\n|\r)[ \t]*")]
    private static partial Regex Joint();

    /// <summary>Logical lines.</summary>
    private static IEnumerable<(int Start, int End, int Next)> Joined(string text)
    {
        int? begun = null;
        foreach (var line in Lines(text))
        {
            var start = begun ?? line.Start;
            var backslashes = 0;
            while (line.End - backslashes > line.Start && text[line.End - backslashes - 1] == '\\')
                backslashes++;
            var comment =
                begun is null
                && Trimmed(text, line.Start, line.End).Start.Value is var first
                && first < line.End
                && text[first] is '#' or '!';
            if (backslashes % 2 == 1 && !comment && line.Next < text.Length)
            {
                begun = start;
                continue;
            }
            begun = null;
            yield return (start, line.End, line.Next);
        }
    }
}
