using System.Runtime.CompilerServices;
using System.Security.Claims;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Storage;

namespace Furlough.Service.Events;

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
                    Store store,
                    TimeProvider time,
                    HttpContext context,
                    IHostApplicationLifetime lifetime,
                    CancellationToken stop
                ) =>
                    TypedResults.ServerSentEvents(
                        HintsAsync(context.User, live, store, time, lifetime.ApplicationStopping, stop)
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
        Store store,
        TimeProvider time,
        CancellationToken stopping,
        [EnumeratorCancellation] CancellationToken stop
    )
    {
        using var ends = CancellationTokenSource.CreateLinkedTokenSource(stop, stopping);
        using var asked = time.CreateTimer(
            _ => _ = EndWithoutTokenAsync(who, store, time, ends),
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

    private static async Task EndWithoutTokenAsync(
        ClaimsPrincipal who,
        Store store,
        TimeProvider time,
        CancellationTokenSource ends
    )
    {
        try
        {
            if (await TokenAuthentication.TokenOfAsync(who, store, time, ends.Token) is null)
                await ends.CancelAsync();
        }
        catch (Exception over) when (over is OperationCanceledException or ObjectDisposedException)
        {
            // The listener left meanwhile.
        }
    }
}
