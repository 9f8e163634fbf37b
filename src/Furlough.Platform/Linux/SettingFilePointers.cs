using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Settings;

namespace Furlough.Platform.Linux;

/// <summary>Pointers that are one key of a settings file, in any of the syntaxes.</summary>
internal sealed class SettingFilePointers(LinuxVolumes volumes) : IPointers
{
    public string? Leads(PointerAddress address, PointerValue value) =>
        SettingPlace.Led(address, SettingEdit.Decoded(address, value));

    public PointerValue Read(PointerAddress address)
    {
        using var folder = SettingPlace.Folder(volumes, address, out var name);
        using var rights = SettingPlace.As(volumes, address);
        return folder is null ? PointerValue.Absent : SettingEdit.ValueIn(address, ContainerFile.Read(folder, name));
    }

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        SettingEdit.Encoded(address, SettingPlace.Spelled(volumes, address, place), present);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next)
    {
        using var folder = next.Text is null
            ? SettingPlace.Folder(volumes, address, out var name) ?? throw SettingEdit.NoFile(address)
            : SettingPlace.MadeFolder(volumes, address, out name);
        var whenNew = SettingPlace.WhenNew(volumes, address, folder);
        using var rights = SettingPlace.As(volumes, address);
        ContainerFile.Edit(folder, name, whenNew, content => SettingEdit.Changed(address, content, expected, next));
    }
}
