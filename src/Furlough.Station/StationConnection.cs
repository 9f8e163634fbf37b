using Furlough.Station.World;

namespace Furlough.Station;

/// <summary>A stand-in's connection: there, or cut off by its script.</summary>
public sealed class StationConnection(StationClock clock) : DelegatingHandler(new SocketsHttpHandler { MaxConnectionsPerServer = 8 })
{
    /// <inheritdoc/>
    protected override async Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken)
    {
        RequireConnection();
        var response = await base.SendAsync(request, cancellationToken);
        RequireConnection();
        return response;
    }

    private void RequireConnection()
    {
        if (clock.GetUtcNow() < clock.CutUntil) throw new HttpRequestException("The network is away.");
    }
}
