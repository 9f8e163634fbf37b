using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Linux;

/// <summary>All pointers of a Linux system: each address goes to the adapter that its kind names.</summary>
internal sealed class LinuxPointers(XdgPointers userDirs, SettingFilePointers files) : IPointers
{
    public PointerValue Read(PointerAddress address) => Of(address).Read(address);

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) => Of(address).Spell(address, place, present);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next) => Of(address).Swap(address, expected, next);

    /// <summary>The user-dirs adapter also refuses kinds that nobody knows.</summary>
    private IPointers Of(PointerAddress address) => SettingFilePointers.Knows(address.Kind) ? files : userDirs;
}
