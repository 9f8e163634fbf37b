using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>What a docket asks for.</summary>
[JsonConverter(typeof(WordConverter<DocketWork>))]
public enum DocketWork { Relocate, Return, Discard }

/// <summary>How the data gets to its target: copied while nobody works; copied while people work, then caught up; or renamed on its own volume.</summary>
[JsonConverter(typeof(WordConverter<Method>))]
public enum Method { Cold, Warm, Exchange }

/// <summary>One pointer to be changed: it must read <paramref name="Expected"/>; <paramref name="Next"/> is its new raw value, null to spell the target in the pointer's own syntax.</summary>
public sealed record PointerChange(PointerAddress Address, PointerValue Expected, PointerValue? Next);

/// <summary>Everything an agent needs for one piece of work on one holding. Travels signed.</summary>
/// <param name="Id">Identity of the docket (UUIDv7); also names its staging folder, receipt and original.</param>
/// <param name="Relocation">The relocation's number, for people.</param>
/// <param name="Machine">The only machine that may carry it out.</param>
/// <param name="Supersession">Counts the dockets of one relocation; a lower one is never begun after a higher one.</param>
/// <param name="OwnedFrom">From which part of the target's path on folders made for it belong to the account (parts before belong to the system).</param>
/// <param name="DataBytes">Expected size in bytes, from the survey.</param>
/// <param name="Originals">With <see cref="DocketWork.Discard"/>: the dockets whose originals are removed.</param>
/// <param name="Supersedes">Earlier dockets of this relocation, whose staging folders may be removed.</param>
public sealed record Docket(
    Guid Id, long Relocation, Guid Machine, int Supersession, DateTimeOffset NotBefore, DateTimeOffset NotAfter,
    DocketWork Work, Method Method, HoldingName Holding, string AccountId, Place Source, Place Target,
    VolumeIdentity SourceVolume, VolumeIdentity TargetVolume, int OwnedFrom, IReadOnlyList<PointerChange> Pointers,
    long Files, long DataBytes, IReadOnlyList<Guid> Originals, IReadOnlyList<Guid> Supersedes);

/// <summary>Leave to go on from <see cref="Step.Quiesce"/>: short-lived, renewed at every contact.</summary>
public sealed record Permit(Guid Docket, Guid Machine, DateTimeOffset NotAfter);
