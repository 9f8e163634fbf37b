using Furlough.Protocol;
using Microsoft.AspNetCore.Diagnostics;

namespace Furlough.Service;

/// <summary>A request that cannot be fulfilled; becomes problem details (RFC 9457) with our code and remedy.</summary>
public sealed class ProblemException(
    int status,
    string code,
    string message,
    string? remedy = null,
    string? place = null,
    IReadOnlyList<string>? details = null
) : Exception(message)
{
    /// <summary>The body of the answer.</summary>
    public Problem Body { get; } = new(code.Replace('-', ' '), message, status, code, remedy, place, details);

    /// <summary>More of what someone asked for is not repeated.</summary>
    private const int LongestName = 200;

    /// <summary>There is no such thing.</summary>
    public static ProblemException Missing(string what, string remedy) =>
        new(404, "not-found", $"There is no {(what.Length > LongestName ? what[..LongestName] + "…" : what)}.", remedy);

    /// <summary>The thing is not in a state for this.</summary>
    public static ProblemException Conflict(
        string code,
        string message,
        string remedy,
        IReadOnlyList<string>? details = null
    ) => new(409, code, message, remedy, null, details);
}

/// <summary>Writes problem details.</summary>
public sealed class ProblemWriter(ILogger<ProblemWriter> log) : IExceptionHandler
{
    /// <inheritdoc/>
    public async ValueTask<bool> TryHandleAsync(
        HttpContext httpContext,
        Exception exception,
        CancellationToken cancellationToken
    )
    {
        var problem = exception switch
        {
            ProblemException known => known.Body,
            BadHttpRequestException bad => new Problem(
                "bad request",
                bad.InnerException?.Message ?? bad.Message,
                bad.StatusCode,
                "bad-request",
                "See the description of the API at /openapi/v1.json.",
                null,
                null
            ),
            OperationCanceledException => new Problem(
                "gone",
                "The request was cancelled.",
                499,
                "given-up",
                null,
                null,
                null
            ),
            _ => new Problem(
                "internal error",
                "The service met something unforeseen; its log says what.",
                500,
                "unforeseen",
                "Look at the service's log.",
                null,
                null
            ),
        };
        if (problem.Status == 500)
            log.LogError(exception, "unforeseen at {Path}", httpContext.Request.Path);
        await WriteAsync(httpContext, problem, cancellationToken);
        return true;
    }

    /// <summary>Gives an error without a body (a wrong method, a wrong type of content) one.</summary>
    public static Task WriteBareAsync(HttpContext context)
    {
        var status = context.Response.StatusCode;
        return WriteAsync(
            context,
            new Problem(
                "bad request",
                $"This call cannot be answered ({Microsoft.AspNetCore.WebUtilities.ReasonPhrases.GetReasonPhrase(status).ToLowerInvariant()}).",
                status,
                "bad-request",
                "See the description of the API at /openapi/v1.json.",
                null,
                null
            ),
            context.RequestAborted
        );
    }

    /// <summary>Writes one.</summary>
    public static Task WriteAsync(HttpContext context, Problem problem, CancellationToken stop)
    {
        context.Response.StatusCode = problem.Status ?? 500;
        return context.Response.WriteAsJsonAsync(
            problem,
            ProtocolJson.Default.Problem,
            "application/problem+json",
            stop
        );
    }
}
