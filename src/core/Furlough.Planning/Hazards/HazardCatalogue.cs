using Furlough.Model;

namespace Furlough.Planning.Hazards;

/// <summary>All hazards, by subject. A new one is an entry in the list of its subject.</summary>
public static class HazardCatalogue
{
    /// <summary>Why there is nothing to do for a holding: it is not planned, and asked nothing else.</summary>
    public static IReadOnlyList<RelocationHazard> NothingToDo { get; } =
    [.. PlaceHazards.NothingToDo, .. ProgramHazards.NothingToDo];

    /// <summary>What a single relocation is asked for, in the order in which it is shown.</summary>
    public static IReadOnlyList<RelocationHazard> OfRelocations { get; } =
    [
        .. ProgramHazards.OfRelocations,
        .. PlaceHazards.OfRelocations,
        .. VolumeHazards.OfRelocations,
        .. SpaceHazards.OfRelocations,
        .. ContentHazards.OfRelocations,
        .. SettingHazards.OfRelocations,
        .. SyncHazards.OfRelocations,
        .. HomeHazards.OfRelocations,
        .. PeopleHazards.OfRelocations,
        .. TimeHazards.OfRelocations,
    ];

    private static readonly IReadOnlyList<RelocationHazard> OfSettings = [.. OfRelocations.Where(h => h.OfSettings)];

    private static readonly IReadOnlyList<RelocationHazard> OfRepointing =
    [
        .. OfRelocations.Where(h => h.OfSettings || h.OfRepointing),
    ];

    /// <summary>What a relocation by a method is asked for.</summary>
    public static IReadOnlyList<RelocationHazard> Asked(Method method) =>
        method switch
        {
            Method.Setting => OfSettings,
            Method.RepointOnly => OfRepointing,
            _ => OfRelocations,
        };

    /// <summary>What a whole machine is asked for.</summary>
    public static IReadOnlyList<MachineHazard> OfMachines { get; } =
    [.. TimeHazards.OfMachines, .. PeopleHazards.OfMachines, .. SyncHazards.OfMachines, .. SpaceHazards.OfMachines];

    /// <summary>Every entry of the catalogue, by severity and code.</summary>
    public static IReadOnlyList<HazardEntry> Entries { get; } =
    [
        .. OfRelocations
            .Concat(NothingToDo)
            .Concat<HazardEntry>(OfMachines)
            .OrderBy(e => e.Severity)
            .ThenBy(e => e.Code, StringComparer.Ordinal),
    ];
}
