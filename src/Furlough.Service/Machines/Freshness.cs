using Furlough.Service.Agents;
using Furlough.Service.LiveEvents;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>Asks machines to look again before something is said about them.</summary>
public sealed class Freshness(Store store, LiveHub live, TimeProvider time)
{
    private static readonly TimeSpan LongestWait = TimeSpan.FromSeconds(30);

    /// <summary>Has every machine that answers survey itself, and waits a bounded time for it.</summary>
    public Task SurveyAllAsync(CancellationToken stop) => SurveyAsync(null, stop);

    /// <summary>Has one machine, or every one that answers, survey itself.</summary>
    /// <returns>Whether all that were asked did in time; false as well when nobody was there to be asked.</returns>
    public async Task<bool> SurveyAsync(Guid? machine, CancellationToken stop)
    {
        var asked = await store.WriteAsync(
            async db =>
            {
                var machines = (await db.Machines.Where(m => machine == null || m.Id == machine).ToListAsync(stop))
                    .Where(m => !live.IsSilent(m.Id, m.LastSeen))
                    .ToList();
                foreach (var machine in machines)
                    machine.AskForSurvey();
                db.Effects.Wake(machines.Select(m => m.Id));
                return machines.ConvertAll(m => m.Id);
            },
            stop
        );
        var until = time.GetUtcNow() + LongestWait;
        while (time.GetUtcNow() < until)
        {
            var left = await store.ReadAsync(
                db => db.Machines.CountAsync(m => m.SurveyWanted && asked.Contains(m.Id), stop),
                stop
            );
            if (left == 0)
                return asked.Count > 0;
            await Task.Delay(TimeSpan.FromMilliseconds(200), time, stop);
        }
        return false;
    }
}
