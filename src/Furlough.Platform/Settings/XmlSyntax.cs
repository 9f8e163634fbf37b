using System.Text;
using Furlough.Engine;

namespace Furlough.Platform.Settings;

/// <summary>
/// XML. A key is the path of element names from the root; its last step may be @NAME for an attribute, and a step may
/// choose among elements of one name by an attribute: NAME[ATTRIBUTE=VALUE]. The value is the attribute's, or the
/// element's only text.
/// </summary>
internal sealed class XmlSyntax : SettingSyntax
{
    internal override Range? Locate(string text, IReadOnlyList<string> key) => new Reader(text, key).Find().Value;

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        if (key[^1] is not ['@', ..])
            throw NotUnderstood($"it has no element `{string.Join('/', key)}`");
        return new Reader(text, key).Find().TagEnd is { } at
            ? $"{text[..at]} {key[^1][1..]}=\"{raw}\"{text[at..]}"
            : throw NotUnderstood($"it has no element `{string.Join('/', key.SkipLast(1))}`");
    }

    internal override string Remove(string text, IReadOnlyList<string> key)
    {
        if (key[^1] is not ['@', ..] || new Reader(text, key).Find().Value is not { } value)
            return text;
        var name = key[^1][1..];
        var start = value.Start.Value - name.Length - 3;
        if (start < 0 || text[start..value.Start.Value] != $" {name}=\"")
            throw NotUnderstood($"`{key[^1]}` is not as it was put there");
        return text[..start] + text[(value.End.Value + 1)..];
    }

    internal override string? Decode(string raw)
    {
        if (raw.StartsWith("<![CDATA[", StringComparison.Ordinal) && raw.EndsWith("]]>", StringComparison.Ordinal))
            return raw[9..^3];
        var text = new StringBuilder();
        for (var i = 0; i < raw.Length; i++)
        {
            if (raw[i] == '<')
                return null;
            if (raw[i] != '&')
            {
                text.Append(raw[i]);
                continue;
            }
            var end = raw.IndexOf(';', i);
            if (end < 0)
                return null;
            var name = raw[(i + 1)..end];
            var code = name switch
            {
                "amp" => '&',
                "lt" => '<',
                "gt" => '>',
                "quot" => '"',
                "apos" => '\'',
                _ => Number(name),
            };
            if (code < 0 || !Rune.IsValid(code))
                return null;
            text.Append(new Rune(code).ToString());
            i = end;
        }
        return text.ToString();
    }

    internal override string Encode(string value, string? present)
    {
        var text = new StringBuilder();
        foreach (var c in value)
            text.Append(
                c switch
                {
                    '&' => "&amp;",
                    '<' => "&lt;",
                    '>' => "&gt;",
                    '"' => "&quot;",
                    '\'' => "&apos;",
                    '\n' or '\r' or '\t' => $"&#{(int)c};",
                    _ => c.ToString(),
                }
            );
        return text.ToString();
    }

    private static int Number(string name) =>
        name switch
        {
            ['#', 'x', .. var hexadecimal]
                when int.TryParse(
                    hexadecimal,
                    System.Globalization.NumberStyles.AllowHexSpecifier,
                    null,
                    out var code
                ) => code,
            ['#', .. var plain] when int.TryParse(plain, System.Globalization.NumberStyles.None, null, out var code) =>
                code,
            _ => -1,
        };

    /// <summary>Reads tag after tag, just enough to know where things stand.</summary>
    private sealed class Reader(string text, IReadOnlyList<string> key)
    {
        private readonly XmlSyntax _syntax = new();
        private readonly bool _isAttribute = key[^1] is ['@', ..];
        private readonly List<string> _open = [];
        private int _matched,
            _at;
        private Range? _value;
        private int? _tagEnd,
            _textFrom;

        private int Steps => _isAttribute ? key.Count - 1 : key.Count;

        /// <summary>The value, and where attributes of the element end that has or would have it.</summary>
        internal (Range? Value, int? TagEnd) Find()
        {
            while (text.IndexOf('<', _at) is var tag and >= 0)
            {
                if (Starts(tag, "<!--"))
                    _at = After(tag, "-->");
                else if (Starts(tag, "<![CDATA["))
                    _at = After(tag, "]]>");
                else if (Starts(tag, "<?"))
                    _at = After(tag, "?>");
                else if (Starts(tag, "<!"))
                {
                    _at = After(tag, ">");
                    if (text[tag.._at].Contains('['))
                        throw NotUnderstood("a document type with declarations of its own");
                }
                else if (Starts(tag, "</"))
                    Close(tag);
                else
                    Open(tag);
            }
            if (_open.Count > 0)
                throw NotUnderstood($"<{_open[^1]}> does not end");
            return (_value, _tagEnd);
        }

        private bool Starts(int at, string with) => text.AsSpan(at).StartsWith(with);

        private int After(int at, string end) =>
            text.IndexOf(end, at, StringComparison.Ordinal) is var found and >= 0
                ? found + end.Length
                : throw NotUnderstood($"`{end}` is missing");

        private void Open(int tag)
        {
            var at = tag + 1;
            var name = Name(ref at);
            Dictionary<string, Range> attributes = [];
            var lastEnd = at;
            for (; ; )
            {
                while (at < text.Length && char.IsWhiteSpace(text[at]))
                    at++;
                if (at >= text.Length)
                    throw NotUnderstood($"<{name}> does not end");
                if (text[at] is '>' or '/')
                    break;
                var attribute = Name(ref at);
                while (at < text.Length && char.IsWhiteSpace(text[at]))
                    at++;
                if (at >= text.Length || text[at++] != '=')
                    throw NotUnderstood($"an attribute of <{name}> without a value");
                while (at < text.Length && char.IsWhiteSpace(text[at]))
                    at++;
                if (
                    at >= text.Length
                    || text[at] is not ('"' or '\'')
                    || text.IndexOf(text[at], at + 1) is not (var end and > 0)
                )
                    throw NotUnderstood($"an attribute of <{name}> without quotes");
                attributes[attribute] = (at + 1)..end;
                at = lastEnd = end + 1;
            }
            var empty = text[at] == '/';
            _at = After(at, ">");
            var isOnPath =
                _matched == _open.Count && _matched < Steps && _tagEnd is null && Fits(key[_matched], name, attributes);
            _open.Add(name);
            if (isOnPath && ++_matched == Steps)
            {
                _tagEnd = lastEnd;
                if (_isAttribute)
                    _value = attributes.TryGetValue(key[^1][1..], out var found) ? found : null;
                else if (!empty)
                    _textFrom = _at;
            }
            else if (_textFrom is not null && _value is null && _open.Count == Steps + 1)
                throw NotUnderstood($"`{string.Join('/', key)}` holds elements, not one text");
            if (empty)
                Leave();
        }

        private void Close(int tag)
        {
            var at = tag + 2;
            var name = Name(ref at);
            if (_open.Count == 0 || _open[^1] != name)
                throw NotUnderstood($"</{name}> closes nothing");
            if (_textFrom is { } from && _open.Count == Steps && _value is null && _matched == Steps)
            {
                var body = text[from..tag];
                if (
                    body.Contains("<!--", StringComparison.Ordinal)
                    || (
                        body.Contains('<')
                        && !(
                            body.Trim().StartsWith("<![CDATA[", StringComparison.Ordinal)
                            && body.Trim().EndsWith("]]>", StringComparison.Ordinal)
                        )
                    )
                )
                    throw NotUnderstood($"`{string.Join('/', key)}` is not a single text");
                var inner = body.Trim();
                _value =
                    inner.Length == 0
                        ? from..tag
                        : (from + body.IndexOf(inner, StringComparison.Ordinal))..(
                            from + body.IndexOf(inner, StringComparison.Ordinal) + inner.Length
                        );
            }
            _at = After(at, ">");
            Leave();
        }

        private void Leave()
        {
            _open.RemoveAt(_open.Count - 1);
            if (_tagEnd is null && _matched > _open.Count)
                _matched = _open.Count;
        }

        private bool Fits(string step, string name, Dictionary<string, Range> attributes)
        {
            var bracket = step.IndexOf('[');
            if (bracket < 0)
                return step == name;
            var (attribute, equals) = (step[(bracket + 1)..^1], step.IndexOf('=', bracket));
            if (step[..bracket] != name || step[^1] != ']' || equals < 0)
                return false;
            attribute = step[(bracket + 1)..equals];
            return attributes.TryGetValue(attribute, out var value)
                && _syntax.Decode(text[value]) == step[(equals + 1)..^1];
        }

        private string Name(ref int at)
        {
            var start = at;
            while (
                at < text.Length
                && !char.IsWhiteSpace(text[at])
                && text[at] is not ('=' or '>' or '/' or '<' or '"' or '\'')
            )
                at++;
            return at > start ? text[start..at] : throw NotUnderstood("a tag without a name");
        }
    }
}
