using Furlough.Agent.Journal;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>
/// The agent's session with the service: opened when needed, opened again when the service has forgotten it.
/// </summary>
/// <param name="opened">Called when a session was opened: the service may know less than before.</param>
internal sealed class ServiceLink(AgentClient client, AgentStore store, SigningKey key, string machineId, Action opened)
    : IDisposable
{
    private readonly SemaphoreSlim _opening = new(1);
    private volatile string? _token;

    /// <summary>This machine's id at the service.</summary>
    internal Guid Machine =>
        Guid.Parse(store.Setting("machine") ?? throw new InvalidOperationException("The agent is not enrolled."));

    /// <summary>The service's public key.</summary>
    internal string ServiceKey =>
        store.Setting("service-key") ?? throw new InvalidOperationException("The agent is not enrolled.");

    /// <summary>The last bulletin that the service has.</summary>
    internal long Acknowledged =>
        long.Parse(store.Setting("acknowledged") ?? "0", System.Globalization.CultureInfo.InvariantCulture);

    public void Dispose() => _opening.Dispose();

    internal void SetAcknowledged(long number)
    {
        // Anyone who has nothing new to keep needs no room for it.
        if (number != Acknowledged)
            store.SetSetting("acknowledged", number.ToString(System.Globalization.CultureInfo.InvariantCulture));
    }

    /// <summary>Calls the service within the session.</summary>
    internal async Task<T> CallAsync<T>(
        Func<AgentClient, string, CancellationToken, Task<T>> call,
        CancellationToken stop
    )
    {
        var token = _token ?? await OpenAsync(null, stop);
        try
        {
            return await call(client, token, stop);
        }
        catch (ServiceException expired) when (expired.Status == 401)
        {
            return await call(client, await OpenAsync(token, stop), stop);
        }
    }

    private async Task<string> OpenAsync(string? stale, CancellationToken stop)
    {
        await _opening.WaitAsync(stop);
        try
        {
            if (_token is { } other && other != stale)
                return other;
            var session = await client.OpenSessionAsync(
                key,
                Machine,
                machineId,
                new AgentCounters(Acknowledged, store.LastDocket, store.HighestSupersession),
                stop
            );
            // The service says what it has; a service restored from a backup has less than it once acknowledged.
            SetAcknowledged(session.LastBulletin);
            _token = session.Token;
            opened();
            return session.Token;
        }
        finally
        {
            _opening.Release();
        }
    }
}
