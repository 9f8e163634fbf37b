using System.Globalization;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Runs;

/// <summary>
/// The run as someone saw it before acting on it: the entity tag (RFC 9110) that came with it, which is the number of
/// the last entry of the history about it.
/// </summary>
/// <param name="Tag">What <c>If-Match</c> says; null where the caller does not mind.</param>
public readonly record struct SeenRun(string? Tag)
{
    /// <summary>The tag of a run as it is now; null where nothing was ever done to it.</summary>
    internal static async Task<string?> TagOfAsync(FurloughDb db, long number, CancellationToken stop) =>
        await LastAsync(db, number, stop) is { } last ? TagOf(last) : null;

    /// <summary>Nothing was done to the run since.</summary>
    /// <exception cref="RefusedException"><c>run-changed</c>: names who did what.</exception>
    internal async Task RequireAsync(FurloughDb db, long number, CancellationToken stop)
    {
        if (
            Tag is null
            || await LastAsync(db, number, stop) is not { } last
            || Tag.Contains(TagOf(last), StringComparison.Ordinal)
        )
            return;
        throw new RefusedException(
            RefusalKind.Changed,
            "run-changed",
            $"Run {number} is not as you saw it any more: {InWords(last)}.",
            "Look at it again, then decide again."
        );
    }

    /// <summary>The last thing that was done to a run.</summary>
    internal static Task<HistoryRow?> LastAsync(FurloughDb db, long number, CancellationToken stop) =>
        db
            .History.Where(h => h.About == SubjectKind.Run && h.SubjectNumber == number)
            .OrderByDescending(h => h.Number)
            .FirstOrDefaultAsync(stop);

    /// <summary>"run paused by mara.ostby at 14:02:03Z".</summary>
    internal static string InWords(HistoryRow last) =>
        string.Create(CultureInfo.InvariantCulture, $"{last.Event.InWords()} by {last.By} at {last.At:HH:mm:ss}Z");

    private static string TagOf(HistoryRow last) => string.Create(CultureInfo.InvariantCulture, $"\"{last.Number}\"");
}
