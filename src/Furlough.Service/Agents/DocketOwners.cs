using System.Collections.Concurrent;
using Furlough.Protocol;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>
/// Which machine a docket is for: a machine may speak of its own only. Remembered, because progress comes often.
/// </summary>
public sealed class DocketOwners(Store store)
{
    private const int Most = 100_000;
    private readonly ConcurrentDictionary<Guid, (Guid Machine, long Relocation)> _owners = new();

    /// <summary>Refuses a docket that is not the machine's, or not of the relocation that it names.</summary>
    public async Task RequireAsync(Guid machine, Guid docket, long relocation, CancellationToken stop)
    {
        if (!_owners.TryGetValue(docket, out var owner))
        {
            var row = await store.ReadAsync(
                db =>
                    db.Dockets.Where(d => d.Id == docket)
                        .Select(d => new { d.Machine, d.Relocation })
                        .FirstOrDefaultAsync(stop),
                stop
            ) ?? throw NotIts();
            if (_owners.Count >= Most)
                _owners.Clear();
            _owners[docket] = owner = (row.Machine, row.Relocation);
        }
        if (owner != (machine, relocation))
            throw NotIts();
    }

    private static RefusedException NotIts() =>
        new(
            RefusalKind.NotAllowed,
            "docket-not-its-own",
            "This docket is not for this machine.",
            "Look at the agent's log."
        );
}
