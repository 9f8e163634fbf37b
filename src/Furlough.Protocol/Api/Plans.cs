using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>Someone accepted a hazard.</summary>
public sealed record Consent(string Hazard, string Reason, string By, DateTimeOffset At);

/// <summary>Accepts every hazard of a code in a plan.</summary>
public sealed record ConsentRequest(string Hazard, string Reason);

/// <summary>A plan in a list.</summary>
public sealed record PlanSummary(
    long Number,
    string Title,
    string Digest,
    DateTimeOffset MadeAt,
    string MadeBy,
    int Machines,
    int Relocations,
    long DataBytes,
    int Blocking,
    int ConsentsWanted
);

/// <summary>A plan.</summary>
/// <param name="ConsentsWanted">Codes of hazards that someone must accept before a run.</param>
/// <param name="Overtaken">What has changed on the machines since it was made; then it cannot be carried out any
/// more.</param>
/// <param name="Hours">The first of its allowed hours when it was made; empty where all are allowed.</param>
/// <param name="Runs">The runs that carried it out.</param>
public sealed record PlanView(
    long Number,
    string Title,
    string Digest,
    DateTimeOffset MadeAt,
    string MadeBy,
    IReadOnlyList<PlannedMachine> Machines,
    IReadOnlyList<PlannedRelocation> Relocations,
    IReadOnlyList<Hazard> Hazards,
    IReadOnlyList<WaveForecast> Calendar,
    IReadOnlyList<OpenHours> Hours,
    TimeSpan Keep,
    IReadOnlyList<Consent> Consents,
    IReadOnlyList<string> ConsentsWanted,
    IReadOnlyList<string> Overtaken,
    IReadOnlyList<long> Runs
);
