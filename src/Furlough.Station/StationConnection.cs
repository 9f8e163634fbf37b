using Furlough.Station.World;

namespace Furlough.Station;

/// <summary>A stand-in's connection: there, or cut off by its script.</summary>
/// <param name="connections">What it connects with while it is there.</param>
/// <param name="leavesAfter">After which call the machine is away for good; null where it stays.</param>
public sealed class StationConnection(HttpMessageHandler connections, StationClock clock, string? leavesAfter)
    : DelegatingHandler(connections)
{
    /// <inheritdoc/>
    protected override async Task<HttpResponseMessage> SendAsync(
        HttpRequestMessage request,
        CancellationToken cancellationToken
    )
    {
        RequireConnection();
        var response = await base.SendAsync(request, cancellationToken);
        RequireConnection();
        if (
            leavesAfter is not null
            && response.IsSuccessStatusCode
            && request.RequestUri!.AbsolutePath.EndsWith(leavesAfter, StringComparison.Ordinal)
        )
            clock.CutUntil = DateTimeOffset.MaxValue;
        return response;
    }

    private void RequireConnection()
    {
        if (clock.GetUtcNow() < clock.CutUntil)
            throw new HttpRequestException("The network is away.");
    }
}
