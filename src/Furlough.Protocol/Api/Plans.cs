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
public sealed record PlanView
{
    public required long Number { get; init; }

    public required string Title { get; init; }

    public required string Digest { get; init; }

    public required DateTimeOffset MadeAt { get; init; }

    public required string MadeBy { get; init; }

    public required IReadOnlyList<PlannedMachine> Machines { get; init; }

    public required IReadOnlyList<PlannedRelocation> Relocations { get; init; }

    public required IReadOnlyList<Hazard> Hazards { get; init; }

    public required IReadOnlyList<WaveForecast> Calendar { get; init; }

    /// <summary>The first of its allowed hours when it was made; empty where all are allowed.</summary>
    public required IReadOnlyList<OpenHours> Hours { get; init; }

    public required TimeSpan Keep { get; init; }

    public required IReadOnlyList<Consent> Consents { get; init; }

    /// <summary>Codes of hazards that someone must accept before a run.</summary>
    public required IReadOnlyList<string> ConsentsWanted { get; init; }

    /// <summary>
    /// What has changed on the machines since it was made; then it cannot be carried out any more.
    /// </summary>
    public required IReadOnlyList<string> Overtaken { get; init; }

    /// <summary>The runs that carried it out.</summary>
    public required IReadOnlyList<long> Runs { get; init; }
}
