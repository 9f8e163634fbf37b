using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>How much a hazard or finding matters.</summary>
[JsonConverter(typeof(WordConverter<Severity>))]
public enum Severity { Blocking, Consent, Advice }

/// <summary>Something a plan found. <paramref name="Holding"/> is null when it concerns the whole machine.</summary>
public sealed record Hazard(string Code, Severity Severity, string Machine, string? Account, string? Holding, string Text, string Remedy);

/// <summary>Something an audit found.</summary>
public sealed record Finding(string Code, Severity Severity, string Machine, string? Account, string? Holding, string Text, string Remedy);

/// <summary>One relocation as planned, in the sequence in which its machine will carry it out.</summary>
/// <param name="Blocked">The codes of the blocking hazards that keep it from being carried out.</param>
/// <param name="Terms">How its work treats the machine and its people.</param>
public sealed record PlannedRelocation(
    int Sequence, Guid Machine, string MachineName, string Room, HoldingName Holding, string AccountId, Method Method,
    Place Source, Place Target, string SourceShown, string TargetShown, VolumeIdentity SourceVolume, VolumeIdentity TargetVolume,
    int OwnedFrom, IReadOnlyList<PointerFacts> Pointers, long Files, long DataBytes, string Wave, IReadOnlyList<string> Blocked, Terms Terms, Adoption? Adoption = null);

/// <summary>One volume of a machine through the plan: free now, and at the lowest point while originals are kept.</summary>
public sealed record PlannedVolume(string Volume, string Root, bool System, long SizeBytes, long FreeBytes, long LowestFreeBytes, long FreeAfterDiscardBytes, long ReserveBytes);

/// <summary>What a plan has for one machine.</summary>
public sealed record PlannedMachine(Guid Machine, string Name, string Room, int Relocations, long DataBytes, string Wave, IReadOnlyList<PlannedVolume> Volumes);

/// <summary>A brief worked out against surveys.</summary>
/// <param name="Keep">How long originals are kept at least.</param>
/// <param name="HaltAfter">Failures after which the run starts nothing further; null: never.</param>
public sealed record PlanBody(
    string Title, string Brief, TimeSpan Keep, int? HaltAfter, IReadOnlyList<string> Waves,
    IReadOnlyList<PlannedMachine> Machines, IReadOnlyList<PlannedRelocation> Relocations, IReadOnlyList<Hazard> Hazards);

/// <summary>A machine's standing.</summary>
[JsonConverter(typeof(WordConverter<Standing>))]
public enum Standing { Ready, UnderWay, Waiting, Stuck, Settled, Drifted, Silent }

/// <summary>The shapes of standings, the same in terminal, console and report.</summary>
public static class Standings
{
    /// <summary>The shape for a standing.</summary>
    public static char Shape(this Standing standing) => standing switch
    {
        Standing.Ready => '□',
        Standing.UnderWay => '◧',
        Standing.Waiting => '◫',
        Standing.Stuck => '▲',
        Standing.Settled => '■',
        Standing.Drifted => '◇',
        _ => '–',
    };
}
