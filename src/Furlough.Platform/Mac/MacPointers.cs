using Furlough.Engine;
using Furlough.Engine.Ports;
using Furlough.Model;

namespace Furlough.Platform.Mac;

/// <summary>The pointers of a macOS system that its own commands keep: homes, and programs' preferences.</summary>
public sealed class MacPointers : IPointers
{
    private readonly DirectoryHomePointers _homes;
    private readonly PreferencePointers _preferences;

    /// <param name="commands">Runs the system's commands.</param>
    /// <param name="volumes">Spells places.</param>
    public MacPointers(ICommands commands, IVolumes volumes)
    {
        _homes = new DirectoryHomePointers(commands, volumes);
        _preferences = new PreferencePointers(commands, _homes, volumes);
    }

    /// <inheritdoc/>
    public PointerValue Read(PointerAddress address) => Of(address).Read(address);

    /// <inheritdoc/>
    public string? Leads(PointerAddress address, PointerValue value) => Of(address).Leads(address, value);

    /// <inheritdoc/>
    public PointerValue Spell(PointerAddress address, Place place, PointerValue present) =>
        Of(address).Spell(address, place, present);

    /// <inheritdoc/>
    public void Swap(PointerAddress address, PointerValue expected, PointerValue next) =>
        Of(address).Swap(address, expected, next);

    private IPointers Of(PointerAddress address) =>
        address.Kind switch
        {
            DirectoryHomePointers.Kind => _homes,
            PreferencePointers.Kind => _preferences,
            _ => throw new Fault(
                FaultKinds.PointerKindUnknown,
                $"This machine has no settings of the kind {address.Kind}.",
                ""
            ),
        };
}
