using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>Device nodes stand in a user's folder.</summary>
public sealed class DeviceNodes : IHazard
{
    /// <inheritdoc/>
    public HazardEntry Entry { get; } =
        new("device-node", Severity.Blocking, "Device nodes stand in a user's folder.", "Take them away.");

    /// <inheritdoc/>
    public Hazard? Check(HazardContext c) =>
        c.Holding.Demands.Of(DemandKind.DeviceNodes) is not { } found
            ? null
            : c.Say(
                Entry,
                $"{Words.Count(found.Count, "device node")} in {c.Holding.Name} on {c.Machine.Name} (`{found.Example}`): they have no place in a user's folder and are not relocated."
            );
}
