using System.Globalization;
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
    /// <summary>Read from the request.</summary>
    public static ValueTask<SeenRun> BindAsync(HttpContext context) =>
        new(new SeenRun(context.Request.Headers.IfMatch.ToString() is { Length: > 0 } tags and not "*" ? tags : null));

    /// <summary>Tells the caller how the run is now.</summary>
    internal static async Task TellAsync(HttpContext context, FurloughDb db, long number, CancellationToken stop) =>
        context.Response.Headers.ETag = await LastAsync(db, number, stop) is { } last ? TagOf(last) : default;

    /// <summary>Nothing was done to the run since.</summary>
    /// <exception cref="ProblemException"><c>run-changed</c>: names who did what.</exception>
    internal async Task RequireAsync(FurloughDb db, long number, CancellationToken stop)
    {
        if (
            Tag is null
            || await LastAsync(db, number, stop) is not { } last
            || Tag.Contains(TagOf(last), StringComparison.Ordinal)
        )
            return;
        throw new ProblemException(
            412,
            "run-changed",
            $"Run {number} is not as you saw it any more: {InWords(last)}.",
            "Look at it again, then decide again."
        );
    }

    /// <summary>The last thing that was done to a run.</summary>
    internal static Task<HistoryRow?> LastAsync(FurloughDb db, long number, CancellationToken stop)
    {
        var subject = $"run {number}";
        return db.History.Where(h => h.Subject == subject).OrderByDescending(h => h.Number).FirstOrDefaultAsync(stop);
    }

    /// <summary>"run paused by mara.ostby at 14:02:03Z".</summary>
    internal static string InWords(HistoryRow last) =>
        string.Create(CultureInfo.InvariantCulture, $"{last.Action} by {last.By} at {last.At:HH:mm:ss}Z");

    private static string TagOf(HistoryRow last) => string.Create(CultureInfo.InvariantCulture, $"\"{last.Number}\"");
}
