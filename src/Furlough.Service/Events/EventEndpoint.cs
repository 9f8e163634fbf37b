using System.Runtime.CompilerServices;
using System.Security.Claims;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Storage;

namespace Furlough.Service.Events;

/// <summary>What a console listens to.</summary>
public static class EventEndpoint
{
    private static readonly TimeSpan AskedAgainAfter = TimeSpan.FromSeconds(10);

    /// <summary>Maps the call.</summary>
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet("/events", (LiveHub live, Store store, TimeProvider time, HttpContext context, IHostApplicationLifetime lifetime, CancellationToken stop) =>
            TypedResults.ServerSentEvents(HintsAsync(context.User, live, store, time, CancellationTokenSource.CreateLinkedTokenSource(stop, lifetime.ApplicationStopping).Token))).For(Role.Reader).ExcludeFromDescription();

    /// <summary>Hints for as long as whoever listens may be here.</summary>
    private static async IAsyncEnumerable<LiveEvent> HintsAsync(ClaimsPrincipal who, LiveHub live, Store store, TimeProvider time, [EnumeratorCancellation] CancellationToken stop)
    {
        var asked = time.GetUtcNow();
        await foreach (var said in live.ListenAsync(stop))
        {
            if (time.GetUtcNow() - asked > AskedAgainAfter)
            {
                if (await TokenAuthentication.TokenOfAsync(who, store, time, stop) is null) yield break;
                asked = time.GetUtcNow();
            }
            yield return said;
        }
    }
}
