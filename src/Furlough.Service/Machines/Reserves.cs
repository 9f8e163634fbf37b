using Furlough.Model;
using Furlough.Planning.Briefs;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>
/// What is to be left free on volumes: said for a room or for the whole fleet, and told by every page that speaks of
/// space. A brief may differ for its own plans.
/// </summary>
public sealed class Reserves(Store store, TimeProvider time)
{
    private const string Fleet = "";
    private const double LargestShare = 0.9;

    /// <summary>What is said for rooms and for the fleet.</summary>
    public Task<List<Reserve>> ListAsync(CancellationToken stop) =>
        store.ReadAsync(
            async db =>
                (await db.Reserves.OrderBy(r => r.Room).ToListAsync(stop)).ConvertAll(r => new Reserve(
                    r.Room.Length == 0 ? null : r.Room,
                    r.System,
                    r.Others,
                    r.SaidBy
                )),
            stop
        );

    /// <summary>Works out what a machine is to leave free, where its room or the fleet has a reserve.</summary>
    internal static async Task SettleAsync(FurloughDb db, MachineRow machine, Survey? survey, CancellationToken stop)
    {
        var said = await db.Reserves.FindAsync([machine.Room], stop) ?? await db.Reserves.FindAsync([Fleet], stop);
        if (said is not null && survey is not null)
        {
            var (system, others) = (ReserveAmount.Find(said.System)!, ReserveAmount.Find(said.Others)!);
            machine.Reserves = Column.Write(
                survey
                    .Volumes.Where(v => v.Identity.Key.Length > 0)
                    .ToDictionary(v => v.Identity.Key, v => (v.System ? system : others).Of(v.SizeBytes)),
                ModelJson.Default.IReadOnlyDictionaryStringInt64
            );
        }
        else if (machine.ReservesSaid)
            machine.Reserves = null;
        machine.ReservesSaid = said is not null;
    }

    /// <summary>Says what is to be left free, or takes it back.</summary>
    /// <exception cref="RefusedException"/>
    public async Task SayAsync(ReserveRequest request, string who, CancellationToken stop)
    {
        var room = request.Room ?? Fleet;
        await store.WriteAsync(
            async db =>
            {
                var machines = await db.Machines.Where(m => room == Fleet || m.Room == room).ToListAsync(stop);
                if (room != Fleet && machines.Count == 0)
                    throw RefusedException.Missing($"room {room}", "See `furlough machine list`.");
                var row = await db.Reserves.FindAsync([room], stop);
                var before = row is null ? "none" : InWords(row.System, row.Others);
                if (request is { System: null, Others: null })
                {
                    if (row is not null)
                        db.Reserves.Remove(row);
                }
                else
                {
                    if (row is null)
                        db.Reserves.Add(
                            row = new ReserveRow
                            {
                                Room = room,
                                System = "0%",
                                Others = "0%",
                                SaidBy = "",
                            }
                        );
                    (row.System, row.Others, row.SaidBy) = (
                        Amount(request.System ?? row.System),
                        Amount(request.Others ?? row.Others),
                        who
                    );
                }
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.ReserveSet,
                    room == Fleet ? About.Fleet : About.Room(room),
                    before,
                    request is { System: null, Others: null } ? "none" : InWords(row!.System, row.Others)
                );
                await db.SaveChangesAsync(stop);
                var surveys = await Surveys.OfAsync(db, machines.ConvertAll(m => m.Id), stop);
                foreach (var machine in machines)
                    await SettleAsync(db, machine, surveys.GetValueOrDefault(machine.Id), stop);
                foreach (var machine in machines)
                    db.Effects.Say("machine", machine.Id);
                return machines.Count;
            },
            stop
        );
    }

    private static string InWords(string system, string others) => $"system {system}, others {others}";

    private static string Amount(string text) =>
        ReserveAmount.Find(text) is { } amount && amount.Share is not > LargestShare
            ? text
            : throw new RefusedException(
                RefusalKind.Malformed,
                "amount-malformed",
                $"`{text}` is not a reserve.",
                "Give a size such as `60 GB` or a share of at most `90%`."
            );
}
