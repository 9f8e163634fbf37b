using System.Diagnostics;
using Furlough.Protocol;
using Furlough.Service.Metrics;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>Answers what was refused or went wrong with problem details (RFC 9457), our code and a remedy.</summary>
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
            RefusedException refused => Of(refused),
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
                $"The service met something unforeseen; its log says what ({Activity.Current?.TraceId.ToHexString()}).",
                500,
                "unforeseen",
                "Look at the service's log.",
                null,
                null
            ),
        };
        if (problem.Status == 500)
            log.LogError(
                new EventId(0, "unforeseen"),
                exception,
                "unforeseen at {Path} {Correlation}",
                httpContext.Request.Path,
                Activity.Current?.TraceId.ToHexString()
            );
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
                "This call cannot be answered "
                    + $"({Microsoft.AspNetCore.WebUtilities.ReasonPhrases.GetReasonPhrase(status).ToLowerInvariant()}).",
                status,
                "bad-request",
                "See the description of the API at /openapi/v1.json.",
                null,
                null
            ),
            context.RequestAborted
        );
    }

    /// <summary>Answers with a refusal.</summary>
    public static Task WriteAsync(HttpContext context, RefusedException refused, CancellationToken stop) =>
        WriteAsync(context, Of(refused), stop);

    /// <summary>Writes one.</summary>
    private static Task WriteAsync(HttpContext context, Problem problem, CancellationToken stop)
    {
        context.Response.StatusCode = problem.Status ?? 500;
        if (problem.Status == StatusCodes.Status500InternalServerError)
            Measures.Unforeseen.Add(1);
        else
            Measures.Refusals.Add(1, new KeyValuePair<string, object?>("code", problem.Code));
        return context.Response.WriteAsJsonAsync(
            problem,
            ProtocolJson.Default.Problem,
            "application/problem+json",
            stop
        );
    }

    private static Problem Of(RefusedException refused) =>
        new(
            refused.Code.Replace('-', ' '),
            refused.Message,
            StatusOf(refused.Kind),
            refused.Code,
            refused.Remedy,
            refused.Place,
            refused.Details
        );

    private static int StatusOf(RefusalKind kind) =>
        kind switch
        {
            RefusalKind.Malformed => StatusCodes.Status400BadRequest,
            RefusalKind.NotSignedIn => StatusCodes.Status401Unauthorized,
            RefusalKind.NotAllowed => StatusCodes.Status403Forbidden,
            RefusalKind.Missing => StatusCodes.Status404NotFound,
            RefusalKind.Conflict => StatusCodes.Status409Conflict,
            RefusalKind.Gone => StatusCodes.Status410Gone,
            RefusalKind.Changed => StatusCodes.Status412PreconditionFailed,
            RefusalKind.TooLarge => StatusCodes.Status413PayloadTooLarge,
            RefusalKind.WrongHost => StatusCodes.Status421MisdirectedRequest,
            RefusalKind.TooMany => StatusCodes.Status429TooManyRequests,
            RefusalKind.NotReady => StatusCodes.Status503ServiceUnavailable,
            _ => throw new ArgumentOutOfRangeException(nameof(kind), kind, null),
        };
}
