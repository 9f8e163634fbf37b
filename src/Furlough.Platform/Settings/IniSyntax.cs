namespace Furlough.Platform.Settings;

/// <summary>
/// Sections in brackets and lines NAME = VALUE; the last line of a name counts. A key is (section, name), or (name)
/// before the first section.
/// </summary>
internal sealed class IniSyntax : SettingSyntax
{
    internal override Range? Locate(string text, IReadOnlyList<string> key) => Find(text, key).Value;

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        var (_, _, end) = Find(text, key);
        return end is { } at
            ? WithLine(text, at, $"{key[^1]}={raw}")
            : throw NotUnderstood($"it has no section [{key[0]}]");
    }

    /// <summary>
    /// There is no one rule for such files: what one reader keeps another takes for a comment, a variable or an escape.
    /// Only paths of Windows have backslashes.
    /// </summary>
    internal override string? Refuses(string value) =>
        base.Refuses(value)
        ?? (
            value.Any("$`%;#\"".Contains)
            || value.StartsWith('\'')
            || value != value.Trim()
            || value.Contains('\\') && value is not [_, ':', '\\', ..]
                ? "has a sign that some readers of such files expand, or take for a comment"
                : null
        );

    internal override bool IsKey(IReadOnlyList<string> key) =>
        base.IsKey(key) && !key[^1].Any("=[;#".Contains) && !key[0].Any("[]".Contains);

    internal override string? Empty(IReadOnlyList<string> key) => key.Count == 2 ? $"[{key[0]}]\n" : "";

    internal override string Remove(string text, IReadOnlyList<string> key) =>
        Find(text, key).Line is { } line ? WithoutLine(text, line) : text;

    internal override string? Decode(string raw) =>
        raw.Length >= 2 && raw[0] == '"' && raw[^1] == '"' ? raw[1..^1] : raw;

    internal override string Encode(string value, string? present) =>
        present is ['"', .., '"'] or "\"\"" || value != value.Trim() ? $"\"{value}\"" : value;

    /// <summary>The value, its line, and the end of the section's last line that is not blank.</summary>
    private static (Range? Value, (int, int, int)? Line, int? SectionEnd) Find(string text, IReadOnlyList<string> key)
    {
        if (key.Count is not (1 or 2))
            throw NotUnderstood("a key of it is a section and a name");
        var inside = key.Count == 1;
        Range? value = null;
        (int, int, int)? found = null;
        int? end = inside ? 0 : null;
        foreach (var line in Lines(text))
        {
            var content = text[Trimmed(text, line.Start, line.End)];
            if (content is ['[', .., ']'])
                inside = key.Count == 2 && content[1..^1] == key[0];
            else if (
                inside
                && content.Length > 0
                && content[0] is not (';' or '#')
                && text.IndexOf('=', line.Start, line.End - line.Start) is var equals and >= 0
                && text[Trimmed(text, line.Start, equals)] == key[^1]
            )
                (value, found) = (Trimmed(text, equals + 1, line.End), line);
            if (inside && content.Length > 0)
                end = line.Next;
        }
        return (value, found, end);
    }
}
