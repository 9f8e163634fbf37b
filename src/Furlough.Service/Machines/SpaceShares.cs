using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>What takes the space of a machine, and how it grew.</summary>
public sealed class SpaceShares(Store store)
{
    /// <summary>The space of one machine.</summary>
    public Task<MachineSpace> OfAsync(string name, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var machine = await Find.MachineAsync(db, name, stop);
                if (await Surveys.OfAsync(db, machine.Id, stop) is not { } survey)
                    return new MachineSpace(machine.Name, machine.Room, [], [], []);
                var originals = (await db.Originals.Where(o => o.Machine == machine.Id).ToListAsync(stop)).ConvertAll(
                    o => Column.Read(o.Body, ModelJson.Default.OriginalFacts)
                );
                var roots = survey.Volumes.ToDictionary(v => v.Identity.Key, v => v.Root);
                var history = (await db.Space.Where(s => s.Machine == machine.Id).OrderBy(s => s.At).ToListAsync(stop))
                    .Where(s => roots.ContainsKey(s.Volume))
                    .Select(s => new SpaceMoment(roots[s.Volume], s.At, s.UsedBytes));
                return new MachineSpace(
                    machine.Name,
                    machine.Room,
                    VolumeSpaces.Soonest(VolumeSpaces.Of(machine, survey)),
                    [
                        .. survey
                            .Volumes.SelectMany(v => Shares(v, survey, originals))
                            .OrderByDescending(s => s.DataBytes),
                    ],
                    [.. history]
                );
            },
            stop
        );

    private static IEnumerable<SpaceShare> Shares(VolumeFacts volume, Survey survey, List<OriginalFacts> originals)
    {
        var key = volume.Identity.Key;
        var other = volume.SizeBytes - volume.FreeBytes;
        foreach (
            var holding in survey.Holdings.Where(h =>
                h.Name.Kind != HoldingKind.InstallPath && h.Place?.Volume == key && h.Present
            )
        )
        {
            var own = survey.OwnBytes(holding);
            other -= own;
            if (holding.Name.Kind != HoldingKind.Home)
                yield return new SpaceShare(
                    volume.Root,
                    holding.Name.Account,
                    holding.Name.Name,
                    holding.Files,
                    own,
                    "live"
                );
            else if (own > 0)
                yield return new SpaceShare(volume.Root, holding.Name.Account, "rest of the home", 0, own, "live");
        }
        foreach (var original in originals.Where(o => o.Source.Volume == key))
        {
            other -= original.DataBytes;
            yield return new SpaceShare(
                volume.Root,
                original.Holding.Account,
                original.Holding.Name,
                original.Files,
                original.DataBytes,
                "original"
            );
        }
        if (other > 0)
            yield return new SpaceShare(volume.Root, null, "not managed", 0, other, "other");
    }
}
