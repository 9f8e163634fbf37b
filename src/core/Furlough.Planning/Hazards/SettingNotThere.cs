using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>The system does not have the setting of an install path yet.</summary>
public sealed class SettingNotThere : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new(
            "setting-not-there",
            Severity.Blocking,
            "The system does not have the setting of an install path yet.",
            "Bring the system to a version that has it, or leave the machine out.",
            OfSettings: true
        );

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding is not { Name.Kind: HoldingKind.InstallPath, Immovable: { } why }
            ? null
            : c.Say(Entry, $"{c.Holding.Name} cannot be changed on {c.Machine.Name}: {why}.");
}
