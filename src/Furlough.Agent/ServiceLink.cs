using Furlough.Agent.Journal;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>
/// The agent's session with the service: opened when needed, opened again when the service has forgotten it.
/// </summary>
/// <param name="whenOpened">Called when a session was opened: the service may know less than before.</param>
internal sealed class ServiceLink(
    AgentClient client,
    AgentStore store,
    SigningKey key,
    string machineId,
    Action whenOpened
) : IDisposable
{
    private const string GenerationSetting = "generation";
    private const int DocketsAtOnce = 20;
    private readonly SemaphoreSlim _opening = new(1);
    private volatile Session? _session;

    /// <summary>The highest generation that this machine was told, as far as a session was opened since its start.</summary>
    private long _highest;

    /// <summary>A session with one service.</summary>
    private sealed record Session(string Token, long Generation);

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
    /// <exception cref="ServiceException"><c>service-replaced</c>: its answer came from a service that another one has
    /// taken the place of; it counts for nothing</exception>
    internal async Task<T> CallAsync<T>(
        Func<AgentClient, string, CancellationToken, Task<T>> call,
        CancellationToken stop
    )
    {
        var session = _session ?? await OpenAsync(null, stop);
        T answer;
        try
        {
            answer = await call(client, session.Token, stop);
        }
        catch (ServiceException expired) when (expired.Status == 401)
        {
            session = await OpenAsync(session, stop);
            answer = await call(client, session.Token, stop);
        }
        // While one call waited for its answer, another may have found the service that is to be followed now.
        return session.Generation < Interlocked.Read(ref _highest) ? throw Replaced() : answer;
    }

    private async Task<Session> OpenAsync(Session? stale, CancellationToken stop)
    {
        await _opening.WaitAsync(stop);
        try
        {
            if (_session is { } other && other != stale)
                return other;
            var opened = await client.OpenSessionAsync(
                key,
                Machine,
                machineId,
                new AgentCounters(Acknowledged, store.LastDocket, store.HighestSupersession, store.LastBulletin)
                {
                    Generation = store.Setting(GenerationSetting),
                },
                stop
            );
            var generation = Take(opened.Generation);
            if (opened.UnknownAfter is { } unknown)
                await HandInDocketsAsync(opened.Token, unknown, stop);
            // The service says what it has; a service restored from a backup has less than it once acknowledged.
            SetAcknowledged(opened.LastBulletin);
            _session = new Session(opened.Token, generation);
            whenOpened();
            return _session;
        }
        finally
        {
            _opening.Release();
        }
    }

    /// <summary>A service that was restored from a backup learns of everything that this machine was told to do since.</summary>
    private async Task HandInDocketsAsync(string token, long after, CancellationToken stop)
    {
        foreach (var some in store.SignedAfter(after).Chunk(DocketsAtOnce))
            await client.KnownDocketsAsync(token, some, all: false, stop);
        await client.KnownDocketsAsync(token, [], all: true, stop);
    }

    /// <summary>Follows a higher generation from now on, and no lower one.</summary>
    private long Take(string? signed)
    {
        var known = Generation.Read(ServiceKey, store.Setting(GenerationSetting)).Number;
        Interlocked.Exchange(ref _highest, known);
        long told;
        try
        {
            told = Generation.Read(ServiceKey, signed).Number;
        }
        catch (SignatureException forged)
        {
            throw new ServiceException(
                0,
                "service-not-trusted",
                $"The service at this address is not the one that made this agent's invite: {forged.Message}",
                "Check the address.",
                null,
                null
            );
        }
        if (told < known)
            throw Replaced();
        if (told > known)
            store.SetSetting(GenerationSetting, signed!);
        Interlocked.Exchange(ref _highest, told);
        return told;
    }

    private static ServiceException Replaced() =>
        new(
            0,
            "service-replaced",
            "The service at this address was replaced by one that was restored from its backup; this machine follows that one.",
            "Let the service's name lead to the restored service, and stop the former one.",
            null,
            null
        );
}
