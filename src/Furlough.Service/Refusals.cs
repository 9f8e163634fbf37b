namespace Furlough.Service;

/// <summary>Why the service does not do what someone or something asked for.</summary>
public enum RefusalKind
{
    /// <summary>What was sent cannot be understood or may not be such.</summary>
    Malformed,

    /// <summary>It is not known who asks.</summary>
    NotSignedIn,

    /// <summary>Whoever asks may not have this.</summary>
    NotAllowed,

    /// <summary>There is no such thing.</summary>
    Missing,

    /// <summary>The thing is not in a state for this.</summary>
    Conflict,

    /// <summary>There was such a thing once.</summary>
    Gone,

    /// <summary>The thing is not as whoever asks saw it any more.</summary>
    Changed,

    /// <summary>More was sent than is taken.</summary>
    TooLarge,

    /// <summary>The service was called by a name that is not its own.</summary>
    WrongHost,

    /// <summary>The same was asked for too often.</summary>
    TooMany,

    /// <summary>The service cannot work at the moment.</summary>
    NotReady,
}

/// <summary>Something is refused: what, why and what to do. Nothing of it was carried out.</summary>
/// <param name="kind">For whoever answers.</param>
/// <param name="code">Stable, hyphenated; for programs.</param>
/// <param name="message">What is the matter, as a sentence.</param>
/// <param name="remedy">What to do.</param>
/// <param name="place">The field or the line at fault.</param>
/// <param name="details">What else there is to know, one sentence each.</param>
public sealed class RefusedException(
    RefusalKind kind,
    string code,
    string message,
    string? remedy = null,
    string? place = null,
    IReadOnlyList<string>? details = null
) : Exception(message)
{
    /// <summary>More of what someone asked for is not repeated.</summary>
    private const int LongestName = 200;

    public RefusalKind Kind => kind;
    public string Code => code;
    public string? Remedy => remedy;
    public string? Place => place;
    public IReadOnlyList<string>? Details => details;

    /// <summary>There is no such thing.</summary>
    public static RefusedException Missing(string what, string remedy) =>
        new(
            RefusalKind.Missing,
            "not-found",
            $"There is no {(what.Length > LongestName ? what[..LongestName] + "…" : what)}.",
            remedy
        );

    /// <summary>The thing is not in a state for this.</summary>
    public static RefusedException Conflict(
        string code,
        string message,
        string remedy,
        IReadOnlyList<string>? details = null
    ) => new(RefusalKind.Conflict, code, message, remedy, null, details);
}
