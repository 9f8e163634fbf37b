using Furlough.Engine;
using Furlough.Model;

namespace Furlough.Platform.Settings;

/// <summary>
/// One key of a settings file as a pointer: its value in a content, and the content with another value. The kind of the
/// pointer's address names the syntax.
/// </summary>
internal static class SettingEdit
{
    private const string Type = "text";

    /// <summary>Whether an address is one of these.</summary>
    internal static bool Knows(string kind) => SettingSyntax.All.ContainsKey(kind);

    /// <summary>What a raw value means; null for none.</summary>
    internal static string? Decoded(PointerAddress address, PointerValue value) =>
        value.Text is null ? null : SettingSyntax.All[address.Kind].Decode(value.Text);

    /// <summary>A path as a raw value, written as the present one is.</summary>
    /// <exception cref="Fault"><c>value-refused</c>: a reader might run or expand it.</exception>
    internal static PointerValue Encoded(PointerAddress address, string path, PointerValue present)
    {
        var syntax = SettingSyntax.All[address.Kind];
        syntax.Require(path);
        return new PointerValue(Type, syntax.Encode(path, present.Text));
    }

    /// <summary>The value in a file's content; null for no file.</summary>
    internal static PointerValue ValueIn(PointerAddress address, byte[]? content)
    {
        if (content is null)
            return PointerValue.Absent;
        var text = SettingText.Of(content).Value;
        return SettingSyntax.All[address.Kind].Locate(text, Parts(address)) is { } at
            ? new PointerValue(Type, text[at])
            : PointerValue.Absent;
    }

    /// <summary>The content with the next value, everything else byte for byte as it is; null for no file.</summary>
    /// <exception cref="Fault"><c>pointer-changed</c>: it does not read what is expected.</exception>
    internal static byte[]? Changed(PointerAddress address, byte[]? content, PointerValue expected, PointerValue next)
    {
        var found = ValueIn(address, content);
        if (found != expected)
            throw Faults.PointerChanged(address, expected, found);
        if (content is null && next.Text is null)
            return null;
        var (syntax, key) = (SettingSyntax.All[address.Kind], Parts(address));
        var empty = syntax.Empty(key);
        var text = content is not null ? SettingText.Of(content) : SettingText.New(empty ?? throw NoFile(address));
        var changed = (syntax.Locate(text.Value, key), next.Text) switch
        {
            ({ } at, { } raw) => text.Value[..at.Start] + raw + text.Value[at.End..],
            (null, { } raw) => syntax.Insert(text.Value, key, raw),
            (_, null) => syntax.Remove(text.Value, key),
        };
        // A file with nothing in it but what this made goes with it.
        return next.Text is null && changed == empty ? null : text.With(changed);
    }

    internal static IoFault NoFile(PointerAddress address) =>
        new(IoReason.NotFound, address.Container, "no such settings file");

    private static string[] Parts(PointerAddress address)
    {
        string[] parts =
        [
            .. address
                .Key.Split('/')
                .Select(p =>
                    p.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal)
                ),
        ];
        if (SettingSyntax.All[address.Kind].IsKey(parts))
            return parts;
        throw new Fault(
            FaultKinds.KeyRefused,
            $"`{PathText.Show(address.Key)}` cannot be the name of a setting in `{address.Container}`.",
            "Correct the kind card."
        );
    }
}
