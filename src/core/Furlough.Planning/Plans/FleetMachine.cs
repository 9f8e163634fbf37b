using Furlough.Model;

namespace Furlough.Planning.Plans;

/// <summary>A machine as planning sees it.</summary>
/// <param name="Silent">It has not been seen for a while.</param>
public sealed record FleetMachine(Guid Id, string Name, string Room, Survey? Survey, bool Silent)
{
    /// <summary>What it is for, in a technician's word; null where nobody has said.</summary>
    public string? Tag { get; init; }

    /// <summary>What its room or the fleet wants left free, in bytes by volume; null where nobody has said.</summary>
    public IReadOnlyDictionary<string, long>? Reserves { get; init; }

    /// <summary>Keys of the volumes with which a drill has passed.</summary>
    public IReadOnlyList<string> Drilled { get; init; } = [];

    /// <summary>
    /// How its volumes fill up, by their identity's key; those with too short a history are left out.
    /// </summary>
    public IReadOnlyDictionary<string, Growth> Growth { get; init; } = new Dictionary<string, Growth>();
}
