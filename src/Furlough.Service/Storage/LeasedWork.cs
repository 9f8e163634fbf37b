namespace Furlough.Service.Storage;

/// <summary>Work that goes on in the background, in one instance of the service at a time.</summary>
/// <param name="work">Its name.</param>
/// <param name="pause">How long is waited after there was nothing to do.</param>
public abstract class LeasedWork(string work, TimeSpan pause, Leases leases, TimeProvider time, ILogger log)
    : BackgroundService
{
    private static readonly TimeSpan Length = TimeSpan.FromSeconds(30),
        RenewedAfter = TimeSpan.FromSeconds(10);
    private Lease? _lease;
    private long _taken;

    /// <summary>Another instance, or nobody, did it before.</summary>
    protected virtual Task TakeOverAsync(Lease lease, CancellationToken stop) => Task.CompletedTask;

    /// <summary>Does what there is to do; true when there may be more.</summary>
    protected abstract Task<bool> WorkAsync(Lease lease, CancellationToken stop);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
            if (!await TurnAsync(stoppingToken))
                await Task.Delay(pause, time, stoppingToken);
    }

    /// <summary>Works where it is this instance's to do; true when there may be more.</summary>
    internal async Task<bool> TurnAsync(CancellationToken stop)
    {
        try
        {
            if (_lease is null || time.GetElapsedTime(_taken) >= RenewedAfter)
                await TakeAsync(stop);
            return _lease is { } mine && await WorkAsync(mine, stop);
        }
        catch (LeaseLostException lost)
        {
            log.LogWarning("{Why}", lost.Message);
            _lease = null;
        }
        catch (Exception unforeseen) when (!stop.IsCancellationRequested)
        {
            log.LogError(unforeseen, "{Work} wait", work);
        }
        return false;
    }

    private async Task TakeAsync(CancellationToken stop)
    {
        var (before, now) = (_lease, time.GetTimestamp());
        _lease = null;
        if (await leases.TakeAsync(work, Length, stop) is not { } taken)
            return;
        if (taken != before)
            await TakeOverAsync(taken, stop);
        (_lease, _taken) = (taken, now);
    }

    /// <inheritdoc/>
    public override async Task StopAsync(CancellationToken cancellationToken)
    {
        await base.StopAsync(cancellationToken);
        if (_lease is { } mine)
            await leases.GiveBackAsync(mine, cancellationToken);
    }
}
