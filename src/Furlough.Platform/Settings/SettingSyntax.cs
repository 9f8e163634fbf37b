using Furlough.Engine;
using Furlough.Model;

namespace Furlough.Platform.Settings;

/// <summary>
/// The way in which a settings file writes its values. A key is a path of names from the outermost to the innermost.
/// Only the value of that key is ever touched; comments, sequence, spacing and line ends stay.
/// </summary>
internal abstract class SettingSyntax
{
    /// <summary>The syntaxes by the names that kind cards and pointers use.</summary>
    internal static IReadOnlyDictionary<string, SettingSyntax> All { get; } =
        new Dictionary<string, SettingSyntax>
        {
            ["ini"] = new IniSyntax(),
            ["environment"] = new EnvironmentSyntax(exports: false),
            ["profile"] = new EnvironmentSyntax(exports: true),
            ["properties"] = new PropertiesSyntax(),
            ["json"] = new JsonSyntax(),
            ["xml"] = new XmlSyntax(),
            ["toml"] = new TomlSyntax(),
            ["yaml"] = new YamlSyntax(),
        };

    /// <summary>Where the raw value of a key stands, with its quotes; null when the file does not have it.</summary>
    /// <exception cref="Fault"><c>settings-not-understood</c>: the file is not written as it should be, or the value is
    /// not a single text.</exception>
    internal abstract Range? Locate(string text, IReadOnlyList<string> key);

    /// <summary>The text with a key that it does not have yet.</summary>
    /// <exception cref="Fault"><c>settings-not-understood</c>: the place where it belongs does not exist.</exception>
    internal abstract string Insert(string text, IReadOnlyList<string> key, string raw);

    /// <summary>
    /// The text without a key that <see cref="Insert"/> may have put there: what was there before, byte for byte.
    /// </summary>
    internal abstract string Remove(string text, IReadOnlyList<string> key);

    /// <summary>
    /// What a file holds before a key is put into it that is its only one; null where such a file is not made.
    /// </summary>
    internal virtual string? Empty(IReadOnlyList<string> key) => null;

    /// <summary>What a raw value means; null when it is not a plain text.</summary>
    internal abstract string? Decode(string raw);

    /// <summary>A text as a raw value, quoted like the present one where that is possible.</summary>
    internal abstract string Encode(string value, string? present);

    /// <summary>
    /// Why a reader of such files might not take a text for itself; null where every one does. What a reader might run
    /// or expand is never written.
    /// </summary>
    internal virtual string? Refuses(string value) =>
        value.Any(c => char.IsControl(c) || c is '\u2028' or '\u2029' or '\uFEFF')
            ? "has a character that cannot be seen"
        : value
            .Where(
                (c, i) =>
                    char.IsSurrogate(c)
                    && !char.IsSurrogatePair(value, char.IsHighSurrogate(c) ? i : Math.Max(0, i - 1))
            )
            .Any()
            ? "is not UTF-8"
        : null;

    /// <summary>Whether a key can stand in such a file as nothing but a key.</summary>
    internal virtual bool IsKey(IReadOnlyList<string> key) => !key.Any(k => k.Length == 0 || k.Any(char.IsControl));

    /// <summary>Refused where the text is none that can be written so that every reader takes it for itself.</summary>
    internal void Require(string value)
    {
        if (Refuses(value) is { } why)
            throw new Fault(
                FaultKinds.ValueRefused,
                $"`{PathText.Show(value)}` {why}: programs that read such a settings file could take it for something else.",
                "Plan a path of letters, digits and plain signs."
            );
    }

    /// <summary>The file cannot be changed safely.</summary>
    protected static Fault NotUnderstood(string why) =>
        new(
            FaultKinds.SettingsNotUnderstood,
            $"The settings file is not written as expected: {why}.",
            "Look at the file; nothing was changed."
        );

    /// <summary>The line end that a text uses.</summary>
    protected static string LineEnd(string text) => text.Contains("\r\n", StringComparison.Ordinal) ? "\r\n" : "\n";

    /// <summary>The lines of a text: where each begins, where its content ends and where the next one begins.</summary>
    protected static IEnumerable<(int Start, int End, int Next)> Lines(string text)
    {
        for (var start = 0; start < text.Length; )
        {
            var feed = text.IndexOf('\n', start);
            var next = feed < 0 ? text.Length : feed + 1;
            var end =
                feed < 0 ? text.Length
                : feed > start && text[feed - 1] == '\r' ? feed - 1
                : feed;
            yield return (start, end, next);
            start = next;
        }
    }

    /// <summary>A range without the blanks at its ends.</summary>
    protected static Range Trimmed(string text, int start, int end)
    {
        while (start < end && text[start] is ' ' or '\t')
            start++;
        while (end > start && text[end - 1] is ' ' or '\t')
            end--;
        return start..end;
    }

    /// <summary>The text with a line put in at a place; where the line before has no end it gets one.</summary>
    protected static string WithLine(string text, int at, string line)
    {
        var end = LineEnd(text);
        return at > 0 && text[at - 1] != '\n'
            ? text[..at] + end + line + text[at..]
            : text[..at] + line + end + text[at..];
    }

    /// <summary>The text without the line that begins at a place, as <see cref="WithLine"/> put it there.</summary>
    protected static string WithoutLine(string text, (int Start, int End, int Next) line)
    {
        if (line.Next > line.End)
            return text[..line.Start] + text[line.Next..];
        var before = line.Start;
        if (before > 0 && text[before - 1] == '\n')
            before--;
        if (before > 0 && text[before - 1] == '\r')
            before--;
        return text[..before];
    }
}
