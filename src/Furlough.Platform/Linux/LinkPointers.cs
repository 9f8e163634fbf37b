using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>
/// Pointers that are a symbolic link in an account's home: its text is the value. It is exchanged in one operation, and
/// only for the text that is expected.
/// </summary>
internal sealed class LinkPointers(LinuxVolumes volumes) : IPointers
{
    internal const string Kind = CardPointer.Link;
    private const string Type = "link",
        Fresh = ".furlough-new-link";
    private const int Attempts = 20;

    public string? Leads(PointerAddress address, PointerValue value)
    {
        if (value.Text is not { Length: > 0 } text)
            return null;
        var path = text.StartsWith('/')
            ? text.TrimEnd('/')
            : Path.GetFullPath(text, Path.GetDirectoryName(SettingPlace.PathOf(volumes, address))!);
        return path.Length <= 1 || path.Split('/').Any(p => p is "." or "..") ? null
            : address.Adds is null ? path
            : $"{path}/{address.Adds}";
    }

    public PointerValue Read(PointerAddress address)
    {
        using var folder = SettingPlace.Folder(volumes, address, out var name);
        using var rights = SettingPlace.As(volumes, address);
        return folder is null ? PointerValue.Absent : Read(folder, name);
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        new(Type, SettingPlace.Spelled(volumes, address, place));

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        using var folder = SettingPlace.Folder(volumes, address, out var name)
            ?? throw new IoFault(IoReason.NotFound, address.Container, "no such folder");
        using var rights = SettingPlace.As(volumes, address);
        for (var attempt = 0; attempt < Attempts; attempt++)
        {
            var found = Read(folder, name);
            if (found != expected)
                throw Faults.PointerChanged(address, expected, found);
            if (next == expected)
                return;
            if (next.Text is null || expected.Text is null)
                throw new Fault(
                    FaultKinds.PointerKindUnknown,
                    $"The link `{address.Container}` can be led elsewhere, not made or taken away.",
                    ""
                );
            MakeFresh(folder, name, next.Text);
            folder.Exchange(Fresh, name);
            if (Read(folder, Fresh) != expected)
            {
                folder.Exchange(Fresh, name);
                continue;
            }
            folder.RemoveFile(Fresh);
            folder.Flush();
            return;
        }
        throw new IoFault(IoReason.Changed, address.Container, "someone else keeps changing this link");
    }

    private static void MakeFresh(IFolder folder, string name, string text)
    {
        if (folder.Find(Fresh) is not null)
            folder.RemoveFile(Fresh);
        folder.MakeLink(Fresh, text);
        if (folder.Find(name) is { } old)
            folder.ApplyTo(Fresh, folder.Find(Fresh)!.Value with { Owner = old.Owner, Group = old.Group });
    }

    /// <summary>Anything but a link is not a setting.</summary>
    private static PointerValue Read(LinuxFolder folder, string name) =>
        folder.Find(name) is { Kind: NodeKind.Link }
            ? new PointerValue(Type, folder.ReadLink(name))
            : PointerValue.Absent;
}
