using Furlough.Model;

namespace Furlough.Planning.Suggestions;

/// <summary>
/// How much each kind of disturbance counts. One point is a minute in which an account is locked out.
/// </summary>
/// <param name="Outage">For a minute in which an account is locked out.</param>
/// <param name="Work">For a minute in which the machine copies.</param>
/// <param name="Person">For every account that is touched at all: it must be notified, and finds its folders
/// elsewhere.</param>
/// <param name="Advice">For a hazard that is only advice.</param>
/// <param name="Consent">For a hazard that someone must accept.</param>
public sealed record Weights(double Outage, double Work, double Person, double Advice, double Consent)
{
    /// <summary>The usual weights.</summary>
    public static Weights Usual { get; } = new(1, 0.1, 10, 2, 20);

    /// <summary>The weights in a sentence.</summary>
    public override string ToString() =>
        FormattableString.Invariant(
            $"a minute of outage {Outage:0.##}, a minute of copying {Work:0.##}, an account touched {Person:0.##}, "
        ) + FormattableString.Invariant($"an advice {Advice:0.##}, a consent {Consent:0.##}");
}

/// <summary>One holding that could be relocated, to one of several targets.</summary>
/// <param name="FreesBytes">What its source volume gets back when the original is discarded.</param>
/// <param name="Ways">To which targets it could go; empty when it cannot.</param>
public sealed record Candidate(HoldingName Holding, long FreesBytes, IReadOnlyList<Way> Ways);

/// <summary>One way to relocate a candidate.</summary>
/// <param name="Target">Number of the target in the question.</param>
/// <param name="TakesBytes">Space that it takes there.</param>
/// <param name="Disturbance">What it costs, without what its account costs.</param>
public sealed record Way(int Target, long TakesBytes, double Disturbance);

/// <summary>One machine's question: how to free so much with the least disturbance.</summary>
/// <param name="RoomBytes">Free space of each target above its reserve.</param>
/// <param name="PersonCosts">What touching an account at all costs.</param>
public sealed record Question(
    long FreeBytes,
    IReadOnlyList<Candidate> Candidates,
    IReadOnlyList<long> RoomBytes,
    double PersonCosts
);

/// <summary>What is chosen: candidate and way by their numbers.</summary>
public sealed record Choice(IReadOnlyList<(int Candidate, int Way)> Chosen, long FreesBytes, double Disturbance);

/// <summary>The answer for one machine.</summary>
/// <param name="Best">The best choice, or what frees most where the goal cannot be reached; null where nothing can be
/// relocated.</param>
/// <param name="NextBest">The best one that relocates other holdings.</param>
/// <param name="Reached">Whether the goal is reached.</param>
/// <param name="Gap">By how much the best choice may at most be better, as a share; 0 when that is proven, null when it
/// is not known whether the goal can be reached.</param>
public sealed record Answer(Choice? Best, Choice? NextBest, bool Reached, double? Gap);
