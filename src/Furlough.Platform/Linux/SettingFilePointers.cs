using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Settings;

namespace Furlough.Platform.Linux;

/// <summary>Pointers that are one key of a settings file, in any of the syntaxes. The kind of their address names the syntax.</summary>
internal sealed class SettingFilePointers(LinuxVolumes volumes) : IPointers
{
    private const string Type = "text";

    /// <summary>Whether an address is one of these.</summary>
    internal static bool Knows(string kind) => SettingSyntax.All.ContainsKey(kind);

    public string? Leads(PointerAddress address, PointerValue value) => SettingPlace.Led(address, value.Text is null ? null : SettingSyntax.All[address.Kind].Decode(value.Text));

    public PointerValue Read(PointerAddress address)
    {
        using var folder = SettingPlace.Folder(volumes, address, out var name);
        return folder is null ? PointerValue.Absent : ToValue(address, ContainerFile.Read(folder, name));
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) => new(Type, SettingSyntax.All[address.Kind].Encode(SettingPlace.Spelled(volumes, address, place), present.Text));

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        using var folder = next.Text is null ? SettingPlace.Folder(volumes, address, out var name) ?? throw NoFile(address) : SettingPlace.MadeFolder(volumes, address, out name);
        var (syntax, key) = (SettingSyntax.All[address.Kind], Parts(address.Key));
        ContainerFile.Edit(folder, name, SettingPlace.WhenNew(volumes, address, folder), content =>
        {
            var found = ToValue(address, content);
            if (found != expected) throw Faults.PointerChanged(address, expected, found);
            if (content is null && next.Text is null) return null;
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
        });
    }

    private static IoFault NoFile(PointerAddress address) => new(IoReason.NotFound, address.Container, "no such settings file");

    private static PointerValue ToValue(PointerAddress address, byte[]? content)
    {
        if (content is null) return PointerValue.Absent;
        var text = SettingText.Of(content).Value;
        return SettingSyntax.All[address.Kind].Locate(text, Parts(address.Key)) is { } at ? new PointerValue(Type, text[at]) : PointerValue.Absent;
    }

    private static string[] Parts(string key) => [.. key.Split('/').Select(p => p.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal))];
}
