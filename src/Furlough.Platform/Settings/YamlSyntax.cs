using Furlough.Engine;

namespace Furlough.Platform.Settings;

/// <summary>
/// Block mappings of YAML, one document, values on one line. A key is the path of names. What is written otherwise
/// elsewhere in the file (flow style, lists, texts over several lines) is passed over and stays; on the way to the key
/// it is not understood.
/// </summary>
internal sealed class YamlSyntax : SettingSyntax
{
    private static readonly Escapes Escaped = new(
        "0abtnvfre \"/\\N_LP",
        "\0\a\b\t\n\v\f\r\u001b \"/\\\u0085\u00a0\u2028\u2029",
        new Dictionary<char, int>
        {
            ['x'] = 2,
            ['u'] = 4,
            ['U'] = 8,
        }
    );

    internal override Range? Locate(string text, IReadOnlyList<string> key) => Find(text, key).Value;

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        var (_, _, end, indent) = Find(text, key);
        return end is { } at
            ? WithLine(text, at, $"{new string(' ', indent)}{Encode(key[^1], null)}: {raw}")
            : throw NotUnderstood($"it has no mapping `{string.Join('/', key.SkipLast(1))}`");
    }

    internal override string Remove(string text, IReadOnlyList<string> key) =>
        Find(text, key).Line is { } line ? WithoutLine(text, line) : text;

    internal override string? Decode(string raw) =>
        raw switch
        {
            ['\'', .., '\''] => raw[1..^1].Replace("''", "'", StringComparison.Ordinal),
            ['"', .., '"'] => Escaped.Decode(raw.AsSpan(1, raw.Length - 2)),
            "" or "~" or "null" => null,
            _ => raw,
        };

    internal override string Encode(string value, string? present) =>
        present is ['\'', ..] && !value.Any(char.IsControl) ? $"'{value.Replace("'", "''", StringComparison.Ordinal)}'"
        : present is not ['"', ..] && IsPlain(value) ? value
        : Escapes.Quoted(value);

    /// <summary>Texts that mean themselves without quotes: paths, mostly.</summary>
    private static bool IsPlain(string value) =>
        value.Length > 0
        && (char.IsLetter(value[0]) || value[0] is '/' or '.' or '_')
        && value.All(c =>
            char.IsLetterOrDigit(c) || c is '/' or '.' or '_' or '-' or '\\' or ' ' or '+' or '@' or '(' or ')'
        )
        && value[^1] != ' '
        && value.ToLowerInvariant()
            is not ("true" or "false" or "null" or "yes" or "no" or "on" or "off" or "." or "..");

    /// <summary>
    /// The value, its line, the end of the mapping that has or would have it, and how far its names are indented.
    /// </summary>
    private (Range? Value, (int, int, int)? Line, int? End, int Indent) Find(string text, IReadOnlyList<string> key)
    {
        List<(int Indent, string? Name)> path = [];
        Range? value = null;
        (int, int, int)? found = null;
        int? end = key.Count == 1 ? 0 : null;
        int? childIndent = key.Count == 1 ? 0 : null;
        var skip = -1;
        var begun = false;
        foreach (var line in Lines(text))
        {
            var first = line.Start;
            while (first < line.End && text[first] == ' ')
                first++;
            if (first == line.End || text[first] == '#')
                continue;
            var indent = first - line.Start;
            if (skip >= 0 && indent > skip)
                continue;
            skip = -1;
            if (text[first] == '\t')
                throw NotUnderstood("a tab where names are indented");
            if (text.AsSpan(first, line.End - first) is "---" or "..." || (text[first] == '%' && !begun))
            {
                if (begun)
                    throw NotUnderstood("more than one document");
                continue;
            }
            begun = true;
            var isElement = text[first] == '-' && (first + 1 == line.End || text[first + 1] == ' ');
            // The elements of a list may stand as far to the left as the name that they belong to.
            path.RemoveAll(p => p.Indent > indent || (p.Indent == indent && !(isElement && p.Name is not null)));
            if (isElement)
            {
                path.Add((indent, null));
                if (path.Count <= key.Count && Leads(path.SkipLast(1), key) && path.Count > 1)
                    throw NotUnderstood($"a list stands in `{string.Join('/', path.SkipLast(1).Select(p => p.Name))}`");
                skip = indent;
                continue;
            }
            var (name, after) = Name(text, first, line.End);
            if (after < 0)
                throw NotUnderstood($"a line that is not a name with a value: {text[first..line.End]}");
            var matchesParent = path.Count == key.Count - 1 && Leads(path, key);
            path.Add((indent, name));
            var raw = Raw(text, after, line.End);
            var content = text[raw];
            if (content is ['|' or '>', ..] || IsOpen(content))
                skip = indent;
            if (matchesParent)
                (childIndent, end) = (indent, line.Next);
            else if (end is not null && path.Count > key.Count && Leads(path.Take(key.Count - 1), key))
                end = line.Next;
            if (path.Count < key.Count && Leads(path, key))
            {
                if (content.Length > 0)
                    throw NotUnderstood($"`{string.Join('/', path.Select(p => p.Name))}` is not a block of names");
                if (path.Count == key.Count - 1)
                    (end, childIndent) = (line.Next, childIndent ?? indent + 2);
            }
            if (path.Count != key.Count || !Leads(path, key))
                continue;
            if (content is ['|' or '>' or '[' or '{' or '&' or '*' or '!', ..] || IsOpen(content))
                throw NotUnderstood($"`{string.Join('/', key)}` is not text on one line");
            (value, found) = (raw, line);
        }
        return (value, found, end, childIndent ?? 0);

        bool Leads(IEnumerable<(int Indent, string? Name)> names, IReadOnlyList<string> to) =>
            names.Select(n => n.Name).SequenceEqual(to.Take(names.Count()), StringComparer.Ordinal);
    }

    /// <summary>A quoted or flow text that goes on in the next line.</summary>
    private static bool IsOpen(string content) =>
        content switch
        {
            ['"', ..] => content.Length == 1 || QuoteEnd(content, 0) < 0,
            ['\'', ..] => content.Length == 1 || QuoteEnd(content, 0) < 0,
            ['[' or '{', ..] => content.Count(c => c is '[' or '{') > content.Count(c => c is ']' or '}'),
            _ => false,
        };

    /// <summary>A name and where its value begins, after the colon; -1 where there is none.</summary>
    private (string Name, int After) Name(string text, int first, int end)
    {
        var colon = first;
        if (text[first] is '"' or '\'')
        {
            colon = QuoteEnd(text[..end], first);
            if (colon < 0)
                return ("", -1);
        }
        else
        {
            while (colon < end && !(text[colon] == ':' && (colon + 1 == end || text[colon + 1] is ' ' or '\t')))
                colon++;
        }
        if (colon >= end || text[colon] != ':')
            return ("", -1);
        return (Decode(text[Trimmed(text, first, colon)]) ?? "", colon + 1);
    }

    /// <summary>The value without the comment behind it.</summary>
    private static Range Raw(string text, int start, int end)
    {
        var from = Trimmed(text, start, end).Start.Value;
        if (from < end && text[from] is '"' or '\'' && QuoteEnd(text[..end], from) is var quoted and > 0)
            return from..quoted;
        var comment = from;
        while (comment < end && !(text[comment] == '#' && (comment == from || text[comment - 1] is ' ' or '\t')))
            comment++;
        return Trimmed(text, from, comment);
    }

    /// <summary>Where a quoted text ends; -1 when it does not.</summary>
    private static int QuoteEnd(string text, int start)
    {
        for (var at = start + 1; at < text.Length; at++)
        {
            if (text[at] == '\\' && text[start] == '"')
                at++;
            else if (text[at] == text[start])
            {
                if (text[start] != '\'' || at + 1 >= text.Length || text[at + 1] != '\'')
                    return at + 1;
                at++;
            }
        }
        return -1;
    }
}
