using System.Text.RegularExpressions;

namespace Furlough.Planning.Briefs;

/// <summary>A text with names in braces, such as <c>People/{account}/{folder}</c>.</summary>
public sealed partial class Template
{
    private readonly string _text;
    private readonly MatchCollection _names;

    private Template(string text) => (_text, _names) = (text, NamePattern().Matches(text));

    /// <summary>Its names, in order.</summary>
    public IEnumerable<string> Names => _names.Select(NameOf);

    /// <summary>Reads a text. Braces that enclose no name are plain text.</summary>
    public static Template Parse(string text) => new(text);

    /// <summary>
    /// The first part of a path, counted from 0, that has one of these names; null where none has.
    /// </summary>
    public int? FirstPartWith(IReadOnlyCollection<string> names) =>
        _names.FirstOrDefault(n => names.Contains(NameOf(n))) is { } first
            ? _text.AsSpan(0, first.Index).Count('/')
            : null;

    /// <summary>The text with values in the place of names, in one pass: what looks like a name in a value stays.</summary>
    /// <param name="valueOf">The value of a name; null where there is none, and the name stays.</param>
    public string Fill(Func<string, string?> valueOf) =>
        NamePattern().Replace(_text, name => valueOf(NameOf(name)) ?? name.Value);

    /// <summary>The text as it was read.</summary>
    public override string ToString() => _text;

    private static string NameOf(Match name) => name.Groups[1].Value;

    [GeneratedRegex(@"\{([^{}]*)\}")]
    private static partial Regex NamePattern();
}
