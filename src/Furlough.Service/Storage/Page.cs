using System.Globalization;

namespace Furlough.Service.Storage;

/// <summary>A part of a list whose entries have numbers.</summary>
/// <param name="Beyond">
/// The number after which it begins, or before which in a list that begins with the newest; null for the list's
/// beginning.
/// </param>
/// <param name="Limit">How many entries it has at most.</param>
public sealed record Page(long? Beyond, int Limit)
{
    /// <summary>The most entries that one answer has.</summary>
    public const int Most = 1_000;

    /// <summary>Reads what a caller asked for.</summary>
    /// <param name="beyond">A number; null or empty for the beginning.</param>
    /// <param name="limit">A number from 1 to <see cref="Most"/>; null or empty for <paramref name="usual"/>.</param>
    /// <exception cref="RefusedException"><c>number-malformed</c> or <c>limit-malformed</c></exception>
    public static Page Read(string? beyond, string? limit, int usual = Most)
    {
        long? from = null;
        if (!string.IsNullOrEmpty(beyond))
            from = long.TryParse(beyond, NumberStyles.None, CultureInfo.InvariantCulture, out var number)
                ? number
                : throw new RefusedException(
                    RefusalKind.Malformed,
                    "number-malformed",
                    $"`{beyond}` is not the number of an entry.",
                    "Leave it out for the beginning of the list."
                );
        if (string.IsNullOrEmpty(limit))
            return new Page(from, usual);
        return
            int.TryParse(limit, NumberStyles.None, CultureInfo.InvariantCulture, out var asked)
            && asked is > 0 and <= Most
            ? new Page(from, asked)
            : throw new RefusedException(
                RefusalKind.Malformed,
                "limit-malformed",
                $"`{limit}` is not a number from 1 to {Most}.",
                $"Leave it out for {usual}."
            );
    }
}
