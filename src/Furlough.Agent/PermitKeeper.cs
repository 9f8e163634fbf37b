using System.Collections.Concurrent;
using System.Text.Json;
using Furlough.Engine.Ports;
using Furlough.Model;
using Furlough.Protocol;

namespace Furlough.Agent;

/// <summary>Asks the service for permits, keeps them, and renews them at every contact.</summary>
internal sealed class PermitKeeper(ServiceLink link, TimeProvider time) : IPermits
{
    private static readonly TimeSpan Pause = TimeSpan.FromSeconds(2);
    private readonly ConcurrentDictionary<Guid, Permit> _held = new();
    private volatile Wishes _wishes = Wishes.None;

    /// <summary>What the service wished last.</summary>
    internal Wishes Wishes
    {
        get => _wishes;
        set => _wishes = value;
    }

    /// <inheritdoc/>
    public bool Holds(Guid docket) => _held.TryGetValue(docket, out var permit) && permit.NotAfter > time.GetUtcNow();

    /// <summary>A docket is past the step that needs one, and has not ended or come to wait.</summary>
    internal bool HoldsAny => !_held.IsEmpty;

    /// <inheritdoc/>
    public Wish WishOf(Guid docket) => _wishes.Of(docket);

    /// <inheritdoc/>
    public PermitAnswer Await(Docket docket, TimeSpan? most, Action waiting, CancellationToken stop)
    {
        var began = time.GetTimestamp();
        for (var told = false; ; )
        {
            if (time.GetUtcNow() >= docket.NotAfter || time.GetElapsedTime(began) > most)
                return PermitAnswer.Expired;
            try
            {
                Ask(docket.Id, most is not null, stop);
                return PermitAnswer.Granted;
            }
            catch (ServiceException refused) when (refused.Code == "permit-refused")
            {
                return PermitAnswer.Refused;
            }
            catch (ServiceException later) when (later.Code == "permit-not-now" && most is null)
            {
                return PermitAnswer.NotNow;
            }
            catch (Exception away) when (away is ServiceException or SignatureException)
            {
                if (!told)
                    waiting();
                told = true;
            }
            stop.WaitHandle.WaitOne(Pause);
            stop.ThrowIfCancellationRequested();
        }
    }

    /// <summary>Renews the permits that are held; a refusal takes one away.</summary>
    internal void Renew(CancellationToken stop)
    {
        foreach (var docket in _held.Keys)
        {
            try
            {
                Ask(docket, keptOut: true, stop);
            }
            catch (ServiceException refused) when (refused.Status != 0)
            {
                Release(docket);
            }
        }
    }

    /// <summary>The docket has ended.</summary>
    internal void Release(Guid docket) => _held.TryRemove(docket, out _);

    private void Ask(Guid docket, bool keptOut, CancellationToken stop)
    {
        var answer = link.CallAsync((client, token, s) => client.PermitAsync(token, docket, keptOut, s), stop)
            .GetAwaiter()
            .GetResult();
        var permit = JsonSerializer.Deserialize(
            Jws.Verify(link.ServiceKey, MessageType.Permit, answer.Permit),
            ModelJson.Default.Permit
        )!;
        if (permit.Docket != docket || permit.Machine != link.Machine)
            throw new SignatureException("The permit is for something else.");
        _held[docket] = permit;
    }
}
