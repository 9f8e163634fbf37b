using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Platform.Settings;

namespace Furlough.Platform.Linux;

/// <summary>All pointers of a Linux system: each address goes to the adapter that its kind names.</summary>
internal sealed class LinuxPointers(
    XdgPointers userDirs,
    SettingFilePointers files,
    LinkPointers links,
    HomePointers homes,
    CommandPointers commands
) : IPointers
{
    public PointerValue Read(PointerAddress address) => Of(address).Read(address);

    public string? Leads(PointerAddress address, PointerValue value) => Of(address).Leads(address, value);

    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        Of(address).Spell(address, place, present);

    public void Swap(PointerAddress address, PointerValue expected, PointerValue next) =>
        Of(address).Swap(address, expected, next);

    /// <summary>The address of a card's pointer for an account.</summary>
    internal static PointerAddress Address(PasswdEntry account, CardPointer pointer) =>
        new(pointer.Syntax, SettingPlace.Container(pointer.File, account), pointer.Key, account.Name)
        {
            Adds = pointer.Adds,
            InPlace = pointer.InPlace,
            Commands = pointer.Commands,
        };

    /// <summary>The user-dirs adapter also refuses kinds that nobody knows.</summary>
    private IPointers Of(PointerAddress address) =>
        address.Kind == LinkPointers.Kind ? links
        : address.Kind == HomePointers.Kind ? homes
        : address.Commands is not null ? commands
        : SettingEdit.Knows(address.Kind) ? files
        : userDirs;
}
