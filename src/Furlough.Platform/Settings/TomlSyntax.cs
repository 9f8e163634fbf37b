using Furlough.Engine;

namespace Furlough.Platform.Settings;

/// <summary>
/// Tables in brackets and lines NAME = "VALUE". A key is the path of its tables and its name. Texts over several lines
/// are passed over and not changed.
/// </summary>
internal sealed class TomlSyntax : SettingSyntax
{
    private static readonly Escapes Escaped = new(
        "ntrbf\"\\",
        "\n\t\r\b\f\"\\",
        new Dictionary<char, int> { ['u'] = 4, ['U'] = 8 }
    );

    internal override Range? Locate(string text, IReadOnlyList<string> key) => Find(text, key).Value;

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        if (Find(text, key).TableEnd is not { } at)
            throw NotUnderstood($"it has no table [{string.Join('.', key.SkipLast(1))}]");
        var name = key[^1].All(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_') ? key[^1] : Encode(key[^1], null);
        return WithLine(text, at, $"{name} = {raw}");
    }

    internal override string Remove(string text, IReadOnlyList<string> key) =>
        Find(text, key).Line is { } line ? WithoutLine(text, line) : text;

    internal override string? Decode(string raw) =>
        raw[0] == '\'' ? raw[1..^1] : Escaped.Decode(raw.AsSpan(1, raw.Length - 2));

    internal override string Encode(string value, string? present) =>
        present is ['\'', ..] && !value.Contains('\'') && !value.Any(char.IsControl)
            ? $"'{value}'"
            : Escapes.Quoted(value);

    /// <summary>The value, its line, and the end of the table's last line.</summary>
    private (Range? Value, (int, int, int)? Line, int? TableEnd) Find(string text, IReadOnlyList<string> key)
    {
        Range? value = null;
        (int, int, int)? found = null;
        var table = new List<string>();
        int? end = key.Count == 1 ? 0 : null;
        for (var at = 0; at < text.Length; )
        {
            var line = Lines(text[at..]).Select(l => (Start: at + l.Start, End: at + l.End, Next: at + l.Next)).First();
            var start = Trimmed(text, line.Start, line.End).Start.Value;
            if (start == line.End || text[start] == '#')
            {
                at = line.Next;
                continue;
            }
            if (text[start] == '[')
            {
                var isList = start + 1 < line.End && text[start + 1] == '[';
                var position = start + (isList ? 2 : 1);
                table = Names(text, ref position, line.End);
                if (isList)
                    table.Add("(element)");
                at = line.Next;
                if (Matches(table, key.SkipLast(1)))
                    end = line.Next;
                continue;
            }
            var names = start;
            List<string> path = [.. table, .. Names(text, ref names, line.End)];
            if (names >= line.End || text[names] != '=')
                throw NotUnderstood($"a line without `=`: {text[start..line.End]}");
            var (from, to) = Value(text, Trimmed(text, names + 1, line.End).Start.Value);
            var next = text.IndexOf('\n', to) is var feed and >= 0 ? feed + 1 : text.Length;
            if (Matches(path, key))
            {
                if (
                    text[from] is not ('"' or '\'')
                    || text.AsSpan(from).StartsWith("\"\"\"")
                    || text.AsSpan(from).StartsWith("'''")
                )
                    throw NotUnderstood($"`{string.Join('.', key)}` is not text on one line");
                (value, found) = (from..to, (line.Start, line.End, next));
            }
            if (Matches(table, key.SkipLast(1)))
                end = next;
            at = next;
        }
        return (value, found, end);
    }

    private static bool Matches(IEnumerable<string> path, IEnumerable<string> key) =>
        path.SequenceEqual(key, StringComparer.Ordinal);

    /// <summary>Dotted names up to '=' or ']'.</summary>
    private List<string> Names(string text, ref int at, int end)
    {
        List<string> names = [];
        for (; ; at++)
        {
            while (at < end && text[at] is ' ' or '\t')
                at++;
            var start = at;
            if (at < end && text[at] is '"' or '\'')
            {
                (_, at) = Value(text, at);
                names.Add(Decode(text[start..at]) ?? throw NotUnderstood("a name with an unknown escape"));
            }
            else
            {
                while (at < end && (char.IsAsciiLetterOrDigit(text[at]) || text[at] is '-' or '_'))
                    at++;
                if (at == start)
                    throw NotUnderstood($"no name: {text[start..end]}");
                names.Add(text[start..at]);
            }
            while (at < end && text[at] is ' ' or '\t')
                at++;
            if (at >= end || text[at] != '.')
                return names;
        }
    }

    /// <summary>Where a value ends that begins at a place.</summary>
    private static (int From, int To) Value(string text, int from)
    {
        var (at, depth) = (from, 0);
        for (; at < text.Length; at++)
        {
            var c = text[at];
            if (c is '"' or '\'')
                at = TextEnd(text, at) - 1;
            else if (c is '[' or '{')
                depth++;
            else if (c is ']' or '}')
                depth--;
            else if (depth == 0 && c is '\n' or '\r' or '#' or ',')
                break;
            else if (c == '#')
                at = text.IndexOf('\n', at) is var feed and >= 0 ? feed : text.Length;
            if (depth == 0 && c is '"' or '\'')
                return (from, at + 1);
        }
        if (at == from || depth != 0)
            throw NotUnderstood("a value that does not end");
        while (text[at - 1] is ' ' or '\t')
            at--;
        return (from, at);
    }

    private static int TextEnd(string text, int start)
    {
        var quote = text[start];
        var three = new string(quote, 3);
        var isLong = text.AsSpan(start).StartsWith(three);
        for (var at = start + (isLong ? 3 : 1); at < text.Length; at++)
        {
            if (text[at] == '\\' && quote == '"')
                at++;
            else if (isLong && text.AsSpan(at).StartsWith(three))
            {
                for (at += 3; at < text.Length && text[at] == quote; at++) { }
                return at;
            }
            else if (!isLong && text[at] == quote)
                return at + 1;
            else if (!isLong && text[at] == '\n')
                break;
        }
        throw NotUnderstood("a text that does not end");
    }
}
