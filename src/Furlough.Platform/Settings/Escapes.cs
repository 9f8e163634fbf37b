using System.Globalization;
using System.Text;

namespace Furlough.Platform.Settings;

/// <summary>Texts in which a backslash gives the next character another meaning.</summary>
/// <param name="Letters">Characters after a backslash, and in the same sequence in <paramref name="Meanings"/> what
/// they stand for.</param>
/// <param name="Digits">Letters after which so many hexadecimal digits name a character.</param>
/// <param name="OthersStand">Any other character stands for itself; else the text is not understood.</param>
internal sealed record Escapes(
    string Letters,
    string Meanings,
    IReadOnlyDictionary<char, int> Digits,
    bool OthersStand = false
)
{
    /// <summary>What a text means; null when it has an escape that nobody knows.</summary>
    internal string? Decode(ReadOnlySpan<char> body)
    {
        var text = new StringBuilder();
        for (var i = 0; i < body.Length; i++)
        {
            if (body[i] != '\\' || i + 1 == body.Length)
            {
                text.Append(body[i]);
                continue;
            }
            var escaped = body[++i];
            if (Digits.TryGetValue(escaped, out var digits))
            {
                if (
                    i + digits >= body.Length
                    || !int.TryParse(
                        body.Slice(i + 1, digits),
                        NumberStyles.AllowHexSpecifier,
                        CultureInfo.InvariantCulture,
                        out var code
                    )
                )
                    return null;
                // Four digits are one unit of UTF-16: two of them may be one character.
                if (digits == 4)
                    text.Append((char)code);
                else if (Rune.IsValid(code))
                    text.Append(new Rune(code).ToString());
                else
                    return null;
                i += digits;
            }
            else if (Letters.IndexOf(escaped, StringComparison.Ordinal) is var known and >= 0)
                text.Append(Meanings[known]);
            else if (OthersStand)
                text.Append(escaped);
            else
                return null;
        }
        return text.ToString();
    }

    /// <summary>A text in double quotes, for syntaxes that know <c>\"</c>, <c>\\</c> and <c>\uXXXX</c>.</summary>
    internal static string Quoted(string value)
    {
        var text = new StringBuilder("\"");
        foreach (var c in value)
        {
            if (c is '"' or '\\')
                text.Append('\\').Append(c);
            else if (char.IsControl(c))
                text.Append(CultureInfo.InvariantCulture, $"\\u{(int)c:x4}");
            else
                text.Append(c);
        }
        return text.Append('"').ToString();
    }
}
