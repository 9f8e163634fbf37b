namespace Furlough.Service.Storage;

/// <summary>Hears what other instances of the service have stored.</summary>
public sealed class OutboxFollower(Store store, Instance instance, ILogger<OutboxFollower> log, TimeProvider time)
    : BackgroundService
{
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(500);
    private long? _last;

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                await FollowAsync(stoppingToken);
            }
            catch (Exception unforeseen) when (!stoppingToken.IsCancellationRequested)
            {
                log.LogError(unforeseen, "what other instances stored was not heard");
            }
            await Task.Delay(Pause, time, stoppingToken);
        }
    }

    /// <summary>Hears everything that was stored until now.</summary>
    internal async Task FollowAsync(CancellationToken stop)
    {
        long? before;
        do
        {
            before = _last;
            (_last, var heard) = await store.ReadAsync(db => Outbox.ReadAsync(db, instance, before, stop), stop);
            foreach (var entry in heard)
                store.Hear(entry);
        } while (_last != before);
    }
}
