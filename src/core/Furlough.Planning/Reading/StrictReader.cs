using Furlough.Model;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;

namespace Furlough.Planning.Reading;

/// <summary>What is wrong with a text, and where.</summary>
/// <param name="Line">From 1.</param>
/// <param name="Column">From 1.</param>
public sealed record TextError(int Line, int Column, string Message, string Expected)
{
    /// <inheritdoc/>
    public override string ToString() => $"line {Line}, column {Column}: {Message} Expected {Expected}.";
}

/// <summary>
/// Reads a YAML text strictly: every key and value must be known, and every error has its line and column.
/// </summary>
public abstract class StrictReader
{
    private readonly List<TextError> _errors = [];

    /// <summary>All errors found so far.</summary>
    protected IReadOnlyList<TextError> Errors => _errors;

    /// <summary>The text's mapping, or null with an error.</summary>
    protected YamlMappingNode? Root(string text, int limit, string what, string begin)
    {
        try
        {
            if (text.Length > limit)
                _errors.Add(new TextError(1, 1, $"The {what} has {text.Length} characters.", $"at most {limit}"));
            else
                RefuseMonsters(text, what);
            if (_errors.Count > 0)
                return null;
            var stream = new YamlStream();
            stream.Load(new StringReader(text));
            if (stream.Documents is [{ RootNode: YamlMappingNode root }])
                return root;
            _errors.Add(new TextError(1, 1, $"This is not a {what}.", $"one mapping that begins with {begin}"));
        }
        catch (YamlException malformed)
        {
            NotYaml(
                malformed.Start,
                $"This is not valid YAML: {malformed.InnerException?.Message ?? malformed.Message}"
            );
        }
        // The library's own reader stumbles over some texts instead of refusing them, such as an escape that is not a
        // character.
        catch (Exception stumbled) when (stumbled is not OutOfMemoryException)
        {
            NotYaml(_reached, $"This cannot be read as YAML: {stumbled.Message.ReplaceLineEndings(" ").TrimEnd('.')}.");
        }
        return null;
    }

    private void NotYaml(Mark at, string what) =>
        _errors.Add(new TextError((int)at.Line, (int)at.Column, what, "valid YAML"));

    /// <summary>How far the text was read.</summary>
    private Mark _reached = new(0, 1, 1);

    /// <summary>
    /// Deepest nesting, and most keys and values in all: what goes further was not written by a person, and building it
    /// could end the process.
    /// </summary>
    private const int DeepestLevel = 50,
        MostNodes = 20_000;

    /// <summary>Looks at the text piece by piece, before anything is built of it.</summary>
    private void RefuseMonsters(string text, string what)
    {
        var parser = new Parser(new StringReader(text));
        for (var (level, nodes) = (0, 0); parser.MoveNext(); )
        {
            var current = parser.Current!;
            _reached = current.End;
            level += current.NestingIncrease;
            if (current is NodeEvent)
                nodes++;
            var (message, expected) =
                current is AnchorAlias or NodeEvent { Anchor.IsEmpty: false }
                    ? ($"Anchors and aliases are not used in a {what}.", "the text itself")
                : level > DeepestLevel + 2
                    ? ($"The {what} is nested more than {DeepestLevel} levels deep.", $"at most {DeepestLevel} levels")
                : nodes > MostNodes ? ($"The {what} has more than {MostNodes:N0} keys and values.", "fewer")
                : ("", "");
            if (message.Length == 0)
                continue;
            _errors.Add(new TextError((int)current.Start.Line, (int)current.Start.Column, message, expected));
            return;
        }
    }

    protected Dictionary<string, YamlNode> Keys(YamlNode node, string what, params string[] known)
    {
        Dictionary<string, YamlNode> found = [];
        foreach (var (key, value) in Pairs(node, what))
        {
            if (known.Contains(key.Value))
                found[key.Value!] = value;
            else
                Error(
                    key,
                    $"`{key.Value}` is not a key of {what}.{Near(key.Value!, known)}",
                    "one of " + string.Join(", ", known)
                );
        }
        return found;
    }

    protected IEnumerable<(YamlScalarNode Key, YamlNode Value)> Pairs(YamlNode node, string what)
    {
        if (node is not YamlMappingNode mapping)
        {
            Error(node, $"This is not what {what} should be.", "a mapping of keys and values");
            yield break;
        }
        foreach (var (key, value) in mapping)
        {
            if (key is YamlScalarNode { Value.Length: > 0 } scalar)
                yield return (scalar, value);
            else
                Error(key, "This is not a key.", "a word");
        }
    }

    protected YamlNode? Need(YamlNode within, Dictionary<string, YamlNode> keys, string key) =>
        keys.TryGetValue(key, out var node) ? node : Error<YamlNode?>(within, $"`{key}` is missing.", $"`{key}:`");

    protected List<string> List(Dictionary<string, YamlNode> keys, string key) =>
        keys.TryGetValue(key, out var node) ? Strings(node) : [];

    protected List<string> Strings(YamlNode node) =>
        node is YamlSequenceNode list ? [.. list.Select(Text)] : [Text(node)];

    protected string Text(YamlNode node) =>
        node is YamlScalarNode { Value.Length: > 0 and <= 1_000 } scalar
            ? scalar.Value!
            : Error(node, "This is not a plain text of at most 1,000 characters.", "a word or a short text", "");

    protected T? OneOf<T>(YamlNode node, string word)
        where T : struct, Enum =>
        Words.Find<T>(word)
        ?? Error<T?>(
            node,
            $"`{word}` is not known here.{Near(word, Words.All<T>())}",
            string.Join(" or ", Words.All<T>())
        );

    /// <summary>Most errors that are reported at once.</summary>
    private const int MostErrors = 100;

    protected void Error(YamlNode node, string message, string expected)
    {
        if (_errors.Count < MostErrors)
            _errors.Add(new TextError((int)node.Start.Line, (int)node.Start.Column, Short(message), expected));
    }

    private static string Short(string message) => message.Length <= 500 ? message : message[..500] + "…";

    protected T Error<T>(YamlNode node, string message, string expected, T value = default!)
    {
        Error(node, message, expected);
        return value;
    }

    protected static string Near(string word, IEnumerable<string> words) =>
        word.Length <= 60 && Pattern.Nearest(word, words) is { } near ? $" Perhaps `{near}` is meant." : "";
}
