using Furlough.Protocol;
using Furlough.Service.Agents;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>
/// Looks at what agents send before anything of it is read: who has no session sends little, and nothing is longer than
/// its kind needs.
/// </summary>
public static class AgentGate
{
    private const string Calls = "/api/v1/agent";
    private const long WithoutSession = 64 << 10,
        Usual = 2 << 20;

    /// <summary>
    /// The largest body of each call that is made within a session, in bytes; other calls take <see
    /// cref="WithoutSession"/>.
    /// </summary>
    private static readonly Dictionary<string, long> WithinSession = new(StringComparer.Ordinal)
    {
        ["/dockets"] = 0,
        ["/permits"] = 4 << 10,
        ["/progress"] = 4 << 10,
        ["/bulletins"] = 8 << 20,
        ["/known-dockets"] = 2 << 20,
        ["/surveys"] = 32 << 20,
    };

    /// <summary>Sets the limit of a call's body, and turns away who has no session where one is needed.</summary>
    public static async Task PassAsync(HttpContext context, RequestDelegate next)
    {
        var limit = Usual;
        if (context.Request.Path.StartsWithSegments(Calls, StringComparison.Ordinal, out var call))
        {
            limit = WithoutSession;
            if (WithinSession.TryGetValue(call.Value ?? "", out var most))
            {
                context.Items[typeof(AgentGate)] = await SignedInAsync(context);
                limit = most;
            }
        }
        if (context.Request.ContentLength > limit)
            throw new RefusedException(
                RefusalKind.TooLarge,
                "body-too-large",
                $"The call brings {context.Request.ContentLength:N0} bytes, and may bring {limit:N0}.",
                "Send less at a time."
            );
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } body)
            body.MaxRequestBodySize = limit;
        await next(context);
    }

    /// <summary>The machine whose session a call that has passed belongs to.</summary>
    internal static Guid MachineOf(HttpContext context) => (Guid)context.Items[typeof(AgentGate)]!;

    private static async Task<Guid> SignedInAsync(HttpContext context)
    {
        var sessions = context.RequestServices.GetRequiredService<AgentSessions>();
        return
            context.Request.Headers.Authorization.ToString() is ['B', 'e', 'a', 'r', 'e', 'r', ' ', .. var token]
            && await sessions.MachineOfAsync(token, context.RequestAborted) is { } machine
            ? machine
            : throw new RefusedException(
                RefusalKind.NotSignedIn,
                "session-unknown",
                "This session is not known (any more).",
                "Open a new one."
            );
    }
}
