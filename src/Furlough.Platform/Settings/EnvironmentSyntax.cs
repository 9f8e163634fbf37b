using System.Text;

namespace Furlough.Platform.Settings;

/// <summary>
/// Lines NAME=VALUE in shell syntax, with or without `export`; the last line of a name counts. A key is (name).
/// </summary>
/// <param name="exports">New lines are exported: the file is read by a shell at sign-in, with other commands in
/// it.</param>
internal sealed class EnvironmentSyntax(bool exports) : SettingSyntax
{
    internal override Range? Locate(string text, IReadOnlyList<string> key) => Find(text, key)?.Value;

    internal override string Insert(string text, IReadOnlyList<string> key, string raw) =>
        WithLine(text, text.Length, $"{(exports ? "export " : "")}{key[0]}={raw}");

    /// <summary>Shells run and expand what others keep with its backslashes.</summary>
    internal override string? Refuses(string value) =>
        base.Refuses(value) ?? (value.Any("$`\\\"!".Contains) ? "has a sign that a shell runs or expands" : null);

    internal override bool IsKey(IReadOnlyList<string> key) =>
        key is [var name] && !char.IsAsciiDigit(name[0]) && name.All(c => char.IsAsciiLetterOrDigit(c) || c == '_');

    internal override string? Empty(IReadOnlyList<string> key) => "";

    internal override string Remove(string text, IReadOnlyList<string> key) =>
        Find(text, key) is { } found ? WithoutLine(text, found.Line) : text;

    internal override string? Decode(string raw)
    {
        if (raw is ['\'', .., '\''] && raw.Length >= 2)
            return raw[1..^1].Contains('\'') ? null : raw[1..^1];
        var quoted = raw.Length >= 2 && raw[0] == '"' && raw[^1] == '"';
        var text = new StringBuilder();
        var body = quoted ? raw[1..^1] : raw;
        for (var i = 0; i < body.Length; i++)
        {
            if (body[i] == '\\' && i + 1 < body.Length && (!quoted || body[i + 1] is '"' or '\\' or '$' or '`'))
                i++;
            else if (body[i] is '$' or '`' or '"' || (!quoted && body[i] is ' ' or '\t' or '\'' or ';' or '#' or '~'))
                return null;
            text.Append(body[i]);
        }
        return text.ToString();
    }

    internal override string Encode(string value, string? present)
    {
        if (present is ['\'', .., '\''] && !value.Contains('\''))
            return $"'{value}'";
        if (
            present is not ['"', ..]
            && value.Length > 0
            && value.All(c =>
                char.IsAsciiLetterOrDigit(c) || c is '/' or '.' or '_' or '-' or ',' or ':' or '+' or '@' or '%'
            )
        )
            return value;
        var text = new StringBuilder("\"");
        foreach (var c in value)
        {
            if (c is '"' or '\\' or '$' or '`')
                text.Append('\\');
            text.Append(c);
        }
        return text.Append('"').ToString();
    }

    private static (Range Value, (int, int, int) Line)? Find(string text, IReadOnlyList<string> key)
    {
        if (key.Count != 1)
            throw NotUnderstood("a key of it is one name");
        (Range, (int, int, int))? found = null;
        foreach (var line in Lines(text))
        {
            var (start, end) = (Trimmed(text, line.Start, line.End).Start.Value, line.End);
            if (text.AsSpan(start, end - start).StartsWith("export "))
                start = Trimmed(text, start + 7, end).Start.Value;
            if (text.AsSpan(start, end - start).StartsWith(key[0] + "="))
                found = (Trimmed(text, start + key[0].Length + 1, end), line);
        }
        return found;
    }
}
