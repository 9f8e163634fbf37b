using System.Runtime.CompilerServices;
using System.Security.Claims;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.LiveEvents;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Routing;

namespace Furlough.Service.Http;

/// <summary>What a console listens to.</summary>
public static class EventEndpoint
{
    private static readonly TimeSpan AskedAgainAfter = TimeSpan.FromSeconds(3);

    /// <summary>Maps the call.</summary>
    public static void Map(RouteGroupBuilder api) =>
        api.MapGet(
                "/events",
                (
                    LiveHub live,
                    Tokens tokens,
                    TimeProvider time,
                    HttpContext context,
                    IHostApplicationLifetime lifetime,
                    CancellationToken stop
                ) =>
                    TypedResults.ServerSentEvents(
                        HintsAsync(context.User, live, tokens, time, lifetime.ApplicationStopping, stop)
                    )
            )
            .For(AccessLevel.Reader)
            .ExcludeFromDescription();

    /// <summary>
    /// Hints for as long as anyone who listens may be here, which is asked again and again: nothing may be said for
    /// hours.
    /// </summary>
    private static async IAsyncEnumerable<LiveEvent> HintsAsync(
        ClaimsPrincipal who,
        LiveHub live,
        Tokens tokens,
        TimeProvider time,
        CancellationToken stopping,
        [EnumeratorCancellation] CancellationToken stop
    )
    {
        using var ends = CancellationTokenSource.CreateLinkedTokenSource(stop, stopping);
        using var asked = time.CreateTimer(
            _ => _ = EndWithoutTokenAsync(who, tokens, ends),
            null,
            AskedAgainAfter,
            AskedAgainAfter
        );
        await using var hints = live.ListenAsync(ends.Token).GetAsyncEnumerator(ends.Token);
        while (await NextAsync(hints, stop, stopping))
            yield return hints.Current;
    }

    /// <summary>Whether there is another hint; the stream just ends when its listener may be here no longer.</summary>
    private static async ValueTask<bool> NextAsync(
        IAsyncEnumerator<LiveEvent> hints,
        CancellationToken stop,
        CancellationToken stopping
    )
    {
        try
        {
            return await hints.MoveNextAsync();
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested && !stopping.IsCancellationRequested)
        {
            return false;
        }
    }

    private static async Task EndWithoutTokenAsync(ClaimsPrincipal who, Tokens tokens, CancellationTokenSource ends)
    {
        try
        {
            if (await TokenAuthentication.TokenOfAsync(who, tokens, ends.Token) is null)
                await ends.CancelAsync();
        }
        catch (Exception over) when (over is OperationCanceledException or ObjectDisposedException)
        {
            // The listener left meanwhile.
        }
    }
}
