using System.Globalization;
using System.Text;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace Furlough.Cli.Output;

/// <summary>
/// Makes what machines and people called something harmless to the terminal that shows it: control characters could
/// clear the screen or fill the clipboard, direction marks could turn a text around. Everything that is printed passes
/// here.
/// </summary>
internal static class Clean
{
    private const char Unseen = '\uFFFD',
        ControlPictures = '\u2400';

    /// <summary>The text as it may be shown.</summary>
    internal static string Shown(string text) =>
        text.AsSpan().IndexOfAnyExceptInRange(' ', '~') < 0 || !text.Any(IsHarmful)
            ? text
            : string.Concat(text.Select(Shown));

    private static char Shown(char c) =>
        !IsHarmful(c) ? c
        : c < ' ' ? (char)(ControlPictures + c)
        : Unseen;

    /// <summary>A JSON text in which such characters are escaped: programs get them back as they were.</summary>
    internal static string Json(string json)
    {
        if (!json.Any(IsHarmful))
            return json;
        var text = new StringBuilder(json.Length + 64);
        foreach (var c in json)
        {
            if (IsHarmful(c))
                text.Append(CultureInfo.InvariantCulture, $"\\u{(int)c:x4}");
            else
                text.Append(c);
        }
        return text.ToString();
    }

    private static bool IsHarmful(char c) =>
        c is not ('\n' or '\t' or '\r')
        && (
            char.IsControl(c)
            || c is (>= '\u202A' and <= '\u202E') or (>= '\u2066' and <= '\u2069') or '\u200E' or '\u200F' or '\u061C'
        );

    /// <summary>A writer that shows only what is harmless.</summary>
    internal sealed class Writer(TextWriter to) : TextWriter(CultureInfo.InvariantCulture)
    {
        public override Encoding Encoding => to.Encoding;

        public override void Write(char value) => to.Write(Shown(value));

        public override void Write(string? value) => to.Write(value is null ? null : Shown(value));

        public override void Write(char[] buffer, int index, int count) =>
            to.Write(Shown(new string(buffer, index, count)));

        public override void Flush() => to.Flush();
    }

    /// <summary>The same for what is laid out: its own control codes pass, the texts in it are cleaned.</summary>
    internal sealed class Screen(IAnsiConsole to) : IAnsiConsole
    {
        public Profile Profile => to.Profile;

        public IAnsiConsoleCursor Cursor => to.Cursor;

        public IAnsiConsoleInput Input => to.Input;

        public IExclusivityMode ExclusivityMode => to.ExclusivityMode;

        public RenderPipeline Pipeline => to.Pipeline;

        public void Clear(bool home) => to.Clear(home);

        public void Write(IRenderable renderable) => to.Write(new Cleaned(renderable));

        public void WriteAnsi(Action<AnsiWriter> action) => to.WriteAnsi(action);
    }

    private sealed class Cleaned(IRenderable inner) : IRenderable
    {
        public Measurement Measure(RenderOptions options, int maxWidth) => inner.Measure(options, maxWidth);

        public IEnumerable<Segment> Render(RenderOptions options, int maxWidth) =>
            inner
                .Render(options, maxWidth)
                .Select(s =>
                    s.IsControlCode || s.IsLineBreak || Shown(s.Text) == s.Text
                        ? s
                        : new Segment(Shown(s.Text), s.Style)
                );
    }
}
