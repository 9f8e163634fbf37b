using System.Text;
using Furlough.Engine;
using Furlough.Model;
using Furlough.Platform.Linux;

namespace Furlough.Platform.Settings;

/// <summary>
/// A settings file as text that becomes the very same bytes again: UTF-8 (what is none stays as it is), or UTF-16 with
/// its mark. A mark at the beginning is not part of the text.
/// </summary>
internal sealed class SettingText
{
    private const char Mark = '\uFEFF';
    private readonly UnicodeEncoding? _wide;
    private readonly bool _marked;

    private SettingText(string text, UnicodeEncoding? wide)
    {
        (_wide, _marked) = (wide, text is [Mark, ..]);
        Value = _marked ? text[1..] : text;
    }

    /// <summary>The text.</summary>
    internal string Value { get; }

    /// <summary>The text of a file that has to be made.</summary>
    internal static SettingText New(string text) => new(text, null);

    /// <summary>Reads bytes.</summary>
    /// <exception cref="Fault"><c>settings-not-understood</c>: a zero byte, or half a character.</exception>
    internal static SettingText Of(byte[] content)
    {
        var wide = content switch
        {
            [0xFF, 0xFE, ..] => new UnicodeEncoding(false, false, true),
            [0xFE, 0xFF, ..] => new UnicodeEncoding(true, false, true),
            _ => null,
        };
        try
        {
            var text = new SettingText(wide is null ? LinuxName.FromBytes(content) : wide.GetString(content), wide);
            if (!text.Value.Contains('\0'))
                return text;
        }
        catch (DecoderFallbackException) { }
        throw new Fault(
            FaultKinds.SettingsNotUnderstood,
            "The settings file is not text.",
            "Look at the file; nothing was changed."
        );
    }

    /// <summary>The bytes of a changed text.</summary>
    internal byte[] With(string changed)
    {
        var text = _marked ? Mark + changed : changed;
        if (_wide is not null)
            return _wide.GetBytes(text);
        var bytes = LinuxName.ToBytes(text);
        return bytes[..Array.IndexOf(bytes, (byte)0)];
    }
}
