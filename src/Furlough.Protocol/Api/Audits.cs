using Furlough.Model;

namespace Furlough.Protocol.Api;

/// <summary>An audit in a list.</summary>
public sealed record AuditSummary(
    long Number,
    DateTimeOffset MadeAt,
    string MadeBy,
    int Findings,
    int Blocking,
    Basis? Basis
);

/// <summary>An audit.</summary>
/// <param name="Basis">On what it rests; null for those made before that was kept.</param>
public sealed record AuditView(
    long Number,
    DateTimeOffset MadeAt,
    string MadeBy,
    int Machines,
    IReadOnlyList<Finding> Findings,
    Basis? Basis
);

/// <summary>On what a total rests: a figure of machines that have not been seen is worth little.</summary>
/// <param name="Machines">How many there are.</param>
/// <param name="Surveyed">How many of them were ever surveyed: only these are counted in.</param>
/// <param name="Silent">How many of them do not answer now.</param>
/// <param name="Oldest">When the first of the surveys was handed in; null where there is none.</param>
public sealed record Basis(int Machines, int Surveyed, int Silent, DateTimeOffset? Oldest)
{
    /// <summary>On what a figure of these machines rests.</summary>
    public static Basis Of(IReadOnlyCollection<(DateTimeOffset? SurveyedAt, bool Silent)> machines) =>
        new(
            machines.Count,
            machines.Count(m => m.SurveyedAt is not null),
            machines.Count(m => m.Silent),
            machines.Min(m => m.SurveyedAt)
        );

    /// <summary>"Rests on 58 of 60 machines; 2 are silent. The oldest survey is of 2026-11-26 14:00Z."</summary>
    public override string ToString()
    {
        if (Machines == 0)
            return "There are no machines yet.";
        var all = Words.Count(Machines, "machine");
        var surveyed = Surveyed == Machines ? all : $"{Surveyed} of {all}";
        var silent = Silent switch
        {
            0 => "",
            1 => "; 1 is silent",
            _ => $"; {Silent} are silent",
        };
        var oldest = Oldest is { } at ? $" The oldest survey is of {at.UtcDateTime:yyyy-MM-dd HH:mm}Z." : "";
        return $"Rests on {surveyed}{silent}.{oldest}";
    }
}
