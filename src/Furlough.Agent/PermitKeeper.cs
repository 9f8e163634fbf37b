using System.Text.Json;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>Asks the service for permits, keeps them, and renews them at every contact.</summary>
internal sealed class PermitKeeper(ServiceLink link, TimeProvider time) : IPermits
{
    private static readonly TimeSpan Pause = TimeSpan.FromSeconds(2);
    private readonly Lock _lock = new();
    private Permit? _held;

    /// <inheritdoc/>
    public bool Holds(Guid docket)
    {
        lock (_lock) return _held is { } permit && permit.Docket == docket && permit.NotAfter > time.GetUtcNow();
    }

    /// <inheritdoc/>
    public PermitAnswer Await(Docket docket, Action waiting, CancellationToken stop)
    {
        for (var told = false; ;)
        {
            if (time.GetUtcNow() >= docket.NotAfter) return PermitAnswer.Expired;
            try
            {
                Ask(docket.Id, stop);
                return PermitAnswer.Granted;
            }
            catch (ServiceException refused) when (refused.Code == "permit-refused")
            {
                return PermitAnswer.Refused;
            }
            catch (Exception away) when (away is ServiceException or SignatureException)
            {
                if (!told) waiting();
                told = true;
            }
            stop.WaitHandle.WaitOne(Pause);
            stop.ThrowIfCancellationRequested();
        }
    }

    /// <summary>Renews the permit that is held, if any; a refusal takes it away.</summary>
    internal void Renew(CancellationToken stop)
    {
        Guid docket;
        lock (_lock)
        {
            if (_held is null) return;
            docket = _held.Docket;
        }
        try { Ask(docket, stop); }
        catch (ServiceException refused) when (refused.Status != 0)
        {
            lock (_lock) _held = null;
        }
    }

    /// <summary>The docket has ended.</summary>
    internal void Release()
    {
        lock (_lock) _held = null;
    }

    private void Ask(Guid docket, CancellationToken stop)
    {
        var answer = link.CallAsync((client, token, s) => client.PermitAsync(token, docket, s), stop).GetAwaiter().GetResult();
        var permit = JsonSerializer.Deserialize(Jws.Verify(link.ServiceKey, MessageType.Permit, answer.Permit), ModelJson.Default.Permit)!;
        if (permit.Docket != docket || permit.Machine != link.Machine) throw new SignatureException("The permit is for something else.");
        lock (_lock) _held = permit;
    }
}
