using System.Globalization;
using Furlough.Engine;

namespace Furlough.Platform.Settings;

/// <summary>JSON, with comments and commas before a closing bracket where the file has them. A key is a path of member names, or numbers of elements.</summary>
internal sealed class JsonSyntax : SettingSyntax
{
    private static readonly Escapes Escaped = new("ntrbf\"\\/", "\n\t\r\b\f\"\\/", new Dictionary<char, int> { ['u'] = 4 });

    internal override Range? Locate(string text, IReadOnlyList<string> key) => new Reader(text).Find(key) is not { Value: { } value } ? null : text[value.Start] == '"' ? value : throw NotUnderstood($"`{string.Join('/', key)}` is no text");

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        var (_, parent, last) = new Reader(text).Find(key);
        if (parent is not { } open) throw NotUnderstood($"it has no object `{string.Join('/', key.SkipLast(1))}`");
        var member = $"{Encode(key[^1], null)}: {raw}";
        return last is { } end ? $"{text[..end]}, {member}{text[end..]}" : $"{text[..(open + 1)]}{member}{text[(open + 1)..]}";
    }

    internal override string Remove(string text, IReadOnlyList<string> key)
    {
        var reader = new Reader(text);
        if (reader.Find(key) is not { Value: { } value }) return text;
        var name = Encode(key[^1], null);
        var start = text.LastIndexOf(name, value.Start.Value, StringComparison.Ordinal);
        if (start < 0 || text[(start + name.Length)..value.Start.Value] != ": ") throw NotUnderstood($"`{key[^1]}` is not as it was put there");
        return text[..(text.AsSpan(0, start).EndsWith(", ") ? start - 2 : start)] + text[value.End.Value..];
    }

    internal override string? Decode(string raw) => Escaped.Decode(raw.AsSpan(1, raw.Length - 2));

    internal override string Encode(string value, string? present) => Escapes.Quoted(value);

    /// <summary>Reads just enough to know where things stand.</summary>
    private sealed class Reader(string text)
    {
        private const int Deepest = 200;
        private readonly JsonSyntax _syntax = new();
        private int _at;
        private IReadOnlyList<string> _key = [];
        private Range? _value;
        private int? _parent, _last;

        /// <summary>The value of a key; where the object that has or would have it opens; where its last member ends.</summary>
        internal (Range? Value, int? Parent, int? Last) Find(IReadOnlyList<string> key)
        {
            _key = key;
            Value(0, matches: true);
            Blank();
            if (_at < text.Length) throw Wrong();
            return (_value, _parent, _last);
        }

        /// <summary>Passes a value; <paramref name="matches"/> when the names so far are those of the key.</summary>
        private void Value(int depth, bool matches)
        {
            Blank();
            if (depth > Deepest || _at >= text.Length) throw Wrong();
            var start = _at;
            switch (text[_at])
            {
                case '{': Members('}', depth, matches); break;
                case '[': Members(']', depth, matches); break;
                case '"': Text(); break;
                default:
                    while (_at < text.Length && (char.IsAsciiLetterOrDigit(text[_at]) || text[_at] is '-' or '+' or '.')) _at++;
                    if (_at == start) throw Wrong();
                    break;
            }
            if (matches && depth == _key.Count) _value = start.._at;
        }

        private void Members(char close, int depth, bool matches)
        {
            var (open, number) = (_at++, 0);
            var isParent = matches && depth == _key.Count - 1 && close == '}';
            if (isParent) (_parent, _last) = (open, null);
            for (; ; number++)
            {
                Blank();
                if (_at >= text.Length) throw Wrong();
                if (text[_at] == close) break;
                var name = number.ToString(CultureInfo.InvariantCulture);
                if (close == '}')
                {
                    var start = _at;
                    Text();
                    name = _syntax.Decode(text[start.._at]);
                    Blank();
                    if (_at >= text.Length || text[_at++] != ':') throw Wrong();
                }
                Value(depth + 1, matches && depth < _key.Count && name == _key[depth]);
                if (isParent) _last = _at;
                Blank();
                if (_at >= text.Length) throw Wrong();
                if (text[_at] == ',') _at++;
                else if (text[_at] != close) throw Wrong();
            }
            _at++;
        }

        private void Text()
        {
            if (text[_at] != '"') throw Wrong();
            for (_at++; _at < text.Length && text[_at] != '"'; _at++)
                if (text[_at] == '\\') _at++;
            if (_at++ >= text.Length) throw Wrong();
        }

        private void Blank()
        {
            for (; _at < text.Length; _at++)
            {
                if (char.IsWhiteSpace(text[_at])) continue;
                if (text[_at] != '/' || _at + 1 >= text.Length || text[_at + 1] is not ('/' or '*')) return;
                var end = text[_at + 1] == '/' ? text.IndexOf('\n', _at) : text.IndexOf("*/", _at + 2, StringComparison.Ordinal) + 1;
                _at = end <= 0 ? text.Length : end;
            }
        }

        private Fault Wrong() => NotUnderstood($"no JSON after {_at} characters");
    }
}
