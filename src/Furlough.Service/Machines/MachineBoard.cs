using System.Collections.Concurrent;
using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>
/// What is shown of many machines at a time, kept in memory: the surveys of a large fleet are too long to be read for
/// every look at it. A machine's part is worked out again whenever something about it was stored.
/// </summary>
public sealed class MachineBoard : IDisposable
{
    private const int MostAtATime = 200;

    private readonly Store _store;
    private readonly LiveHub _live;
    private readonly ConcurrentDictionary<Guid, byte> _stale = new();
    private readonly SemaphoreSlim _renewing = new(1);
    private readonly Dictionary<Guid, Part> _parts = [];
    private IReadOnlyList<Part> _byName = [];
    private IReadOnlyList<VolumeSpace> _soonest = [];
    private bool _complete;

    /// <summary>What changed is not known: everything is worked out again.</summary>
    private volatile bool _missed;

    /// <summary>Someone works parts out: what is off the list of stale ones is not on the board yet.</summary>
    private volatile bool _underWay;

    public MachineBoard(Store store, LiveHub live)
    {
        (_store, _live) = (store, live);
        store.Stored += stored =>
        {
            foreach (var id in stored.Touched)
                _stale[id] = 0;
            if (stored.Missed)
                _missed = true;
        };
    }

    private sealed record Part(
        MachineSummary Summary,
        IReadOnlyList<Shelf> Shelves,
        IReadOnlyList<VolumeSpace> Volumes
    );

    /// <summary>All machines by name, with their standings of this moment.</summary>
    public async Task<IReadOnlyList<MachineSummary>> MachinesAsync(CancellationToken stop)
    {
        await RenewAsync(stop);
        return [.. _byName.Select(p => Summaries.Now(p.Summary, _live))];
    }

    /// <summary>The shelves of a room's machines.</summary>
    public async Task<IReadOnlyList<MachineShelves>> ShelvesAsync(string room, CancellationToken stop)
    {
        await RenewAsync(stop);
        return [.. _byName.Where(p => p.Summary.Room == room).Select(p => new MachineShelves(p.Summary.Id, p.Shelves))];
    }

    /// <summary>All volumes; those that fill up first, first.</summary>
    public async Task<IReadOnlyList<VolumeSpace>> VolumesAsync(CancellationToken stop)
    {
        await RenewAsync(stop);
        return _soonest;
    }

    /// <inheritdoc/>
    public void Dispose() => _renewing.Dispose();

    private async Task RenewAsync(CancellationToken stop)
    {
        if (_complete && !_missed && _stale.IsEmpty && !_underWay)
            return;
        await _renewing.WaitAsync(stop);
        try
        {
            _underWay = true;
            // Taken off the list before it is read: what is stored meanwhile puts a machine on it again.
            var stale = _stale.Keys.ToHashSet();
            var all = _missed || !_complete || stale.Count > MostAtATime;
            _missed = false;
            foreach (var id in stale)
                _stale.TryRemove(id, out _);
            try
            {
                await RenewAsync(all ? null : stale, stop);
            }
            catch
            {
                if (all)
                    _missed = true;
                foreach (var id in stale)
                    _stale[id] = 0;
                throw;
            }
        }
        finally
        {
            _underWay = false;
            _renewing.Release();
        }
    }

    /// <summary>
    /// A machine's part. What it sent may make no sense: then it is shown without, and all others as they are.
    /// </summary>
    private static Part PartOf(
        SurveyedMachine surveyed,
        IReadOnlyList<RelocationRow> relocations,
        IReadOnlyList<OriginalRow> originals
    )
    {
        var machine = surveyed.Machine;
        try
        {
            var survey = surveyed.Read();
            var (summary, shelves) = Summaries.Of(machine, survey, relocations, originals);
            return new Part(summary, shelves, [.. VolumeSpaces.Of(machine, survey)]);
        }
        catch (Exception senseless) when (senseless is not OutOfMemoryException)
        {
            var bare = new MachineSummary(
                machine.Id,
                machine.Name,
                machine.Room,
                Standing.Stuck,
                machine.LastSeen,
                machine.SurveyedAt,
                null,
                0,
                0,
                null,
                $"What this machine sent last cannot be read ({senseless.Message.TrimEnd('.')}). Survey it again, "
                    + $"or forget it: `furlough machine forget {machine.Name}`.",
                machine.Tag,
                machine.HeldBy
            );
            return new Part(bare, [], []);
        }
    }

    /// <summary>Works out the parts of some machines, or of all.</summary>
    private async Task RenewAsync(HashSet<Guid>? some, CancellationToken stop)
    {
        if (some is { Count: 0 })
            return;
        await _store.ReadAsync(
            async db =>
            {
                var ids = some?.ToList() ?? [];
                var relocations = (
                    await db
                        .Relocations.Where(r => some == null || ids.Contains(r.Machine))
                        .OrderBy(r => r.Number)
                        .ToListAsync(stop)
                ).ToLookup(r => r.Machine);
                var originals = (
                    await db.Originals.Where(o => some == null || ids.Contains(o.Machine)).ToListAsync(stop)
                ).ToLookup(o => o.Machine);
                if (some is null)
                    _parts.Clear();
                else
                    foreach (var id in some)
                        _parts.Remove(id);
                await foreach (
                    var surveyed in Surveys.WithMachines(db, some is null ? null : ids).WithCancellation(stop)
                )
                {
                    var id = surveyed.Machine.Id;
                    _parts[id] = PartOf(surveyed, [.. relocations[id]], [.. originals[id]]);
                }
                return 0;
            },
            stop
        );
        _byName = [.. _parts.Values.OrderBy(p => p.Summary.Name, StringComparer.Ordinal)];
        _soonest = VolumeSpaces.Soonest(_byName.SelectMany(p => p.Volumes));
        _complete = true;
    }
}
