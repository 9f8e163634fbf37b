using System.Globalization;
using Furlough.Engine;

namespace Furlough.Platform.Settings;

/// <summary>
/// JSON, with comments and commas before a closing bracket where the file has them. A key is a path of member names, or
/// numbers of elements.
/// </summary>
internal sealed class JsonSyntax : SettingSyntax
{
    private static readonly Escapes Escaped = new(
        "ntrbf\"\\/",
        "\n\t\r\b\f\"\\/",
        new Dictionary<char, int> { ['u'] = 4 }
    );

    /// <summary>
    /// What stands between the name and the value of an object that had to be made: by its second blank it is known
    /// again.
    /// </summary>
    private const string Added = ":  ";

    internal override Range? Locate(string text, IReadOnlyList<string> key) =>
        new Reader(text).Find(key) is not { Value: { } value } ? null
        : text[value.Start] == '"' ? value
        : throw NotUnderstood($"`{string.Join('/', key)}` is not text");

    internal override string Insert(string text, IReadOnlyList<string> key, string raw)
    {
        // What of the objects around it is missing comes with it, and goes with it.
        var (depth, parent, last) = Deepest(text, key);
        var member =
            string.Concat(key.Skip(depth).SkipLast(1).Select(name => $"{Encode(name, null)}{Added}{{"))
            + $"{Encode(key[^1], null)}: {raw}"
            + new string('}', key.Count - depth - 1);
        return last is { } end
            ? $"{text[..end]}, {member}{text[end..]}"
            : $"{text[..(parent + 1)]}{member}{text[(parent + 1)..]}";
    }

    internal override string? Empty(IReadOnlyList<string> key) => "{}";

    internal override string Remove(string text, IReadOnlyList<string> key)
    {
        for (var count = key.Count; count > 0; count--)
        {
            var (value, _, _, member) = new Reader(text).Find([.. key.Take(count)]);
            if (value is not { } at || member is not { } start)
                return text;
            // What is around it goes only if it was put there for it.
            if (
                count < key.Count
                && !(text[start..at.Start].EndsWith(Added, StringComparison.Ordinal) && text[at] == "{}")
            )
                return text;
            var before = text.AsSpan(0, start).TrimEnd().Length;
            if (before > 0 && text[before - 1] == ',')
                text = text[..(before - 1)] + text[at.End..];
            else
            {
                var after = at.End.Value;
                while (after < text.Length && char.IsWhiteSpace(text[after]))
                    after++;
                text =
                    text[..start]
                    + (after < text.Length && text[after] == ',' ? text[(after + 1)..].TrimStart() : text[at.End..]);
            }
        }
        return text;
    }

    /// <summary>
    /// How many of a key's names the text has, where their innermost object opens, and where its last member ends.
    /// </summary>
    private static (int Depth, int Parent, int? Last) Deepest(string text, IReadOnlyList<string> key)
    {
        for (var depth = key.Count - 1; depth >= 0; depth--)
        {
            var (_, parent, last, _) = new Reader(text).Find([.. key.Take(depth + 1)]);
            if (parent is { } open)
                return (depth, open, last);
            if (depth > 0 && new Reader(text).Find([.. key.Take(depth)]).Value is not null)
                break;
        }
        throw NotUnderstood($"it has no object `{string.Join('/', key.SkipLast(1))}`");
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
        private int? _parent,
            _last,
            _member;

        /// <summary>
        /// The value of a key; where the object that has or would have it opens; where its last member ends; where the
        /// key's own member begins.
        /// </summary>
        internal (Range? Value, int? Parent, int? Last, int? Member) Find(IReadOnlyList<string> key)
        {
            _key = key;
            Value(0, matches: true);
            Blank();
            if (_at < text.Length)
                throw Wrong();
            return (_value, _parent, _last, _member);
        }

        /// <summary>Passes a value; <paramref name="matches"/> when the names so far are those of the key.</summary>
        private void Value(int depth, bool matches)
        {
            Blank();
            if (depth > Deepest || _at >= text.Length)
                throw Wrong();
            var start = _at;
            switch (text[_at])
            {
                case '{':
                    Members('}', depth, matches);
                    break;
                case '[':
                    Members(']', depth, matches);
                    break;
                case '"':
                    Text();
                    break;
                default:
                    while (
                        _at < text.Length && (char.IsAsciiLetterOrDigit(text[_at]) || text[_at] is '-' or '+' or '.')
                    )
                        _at++;
                    if (_at == start)
                        throw Wrong();
                    break;
            }
            if (matches && depth == _key.Count)
                _value = start.._at;
        }

        private void Members(char close, int depth, bool matches)
        {
            var (open, number) = (_at++, 0);
            var isParent = matches && depth == _key.Count - 1 && close == '}';
            if (isParent)
                (_parent, _last) = (open, null);
            for (; ; number++)
            {
                Blank();
                if (_at >= text.Length)
                    throw Wrong();
                if (text[_at] == close)
                    break;
                var name = number.ToString(CultureInfo.InvariantCulture);
                if (close == '}')
                {
                    var start = _at;
                    Text();
                    name = _syntax.Decode(text[start.._at]);
                    if (isParent && name == _key[depth])
                        _member = start;
                    Blank();
                    if (_at >= text.Length || text[_at++] != ':')
                        throw Wrong();
                }
                Value(depth + 1, matches && depth < _key.Count && name == _key[depth]);
                if (isParent)
                    _last = _at;
                Blank();
                if (_at >= text.Length)
                    throw Wrong();
                if (text[_at] == ',')
                    _at++;
                else if (text[_at] != close)
                    throw Wrong();
            }
            _at++;
        }

        private void Text()
        {
            if (text[_at] != '"')
                throw Wrong();
            for (_at++; _at < text.Length && text[_at] != '"'; _at++)
                if (text[_at] == '\\')
                    _at++;
            if (_at++ >= text.Length)
                throw Wrong();
        }

        private void Blank()
        {
            for (; _at < text.Length; _at++)
            {
                if (char.IsWhiteSpace(text[_at]))
                    continue;
                if (text[_at] != '/' || _at + 1 >= text.Length || text[_at + 1] is not ('/' or '*'))
                    return;
                var end =
                    text[_at + 1] == '/'
                        ? text.IndexOf('\n', _at)
                        : text.IndexOf("*/", _at + 2, StringComparison.Ordinal) + 1;
                _at = end <= 0 ? text.Length : end;
            }
        }

        private Fault Wrong() => NotUnderstood($"no JSON after {_at} characters");
    }
}
