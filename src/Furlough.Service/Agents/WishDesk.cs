using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>
/// What is wished of relocations that are under way: a paused run, a held machine and the end of its allowed hours let
/// them rest, an attended one rests until someone is there, and what was backed out or waits in a halted run is undone
/// (it would meet its missing permit only when it goes on). Who asked for something separately is stopped by none of
/// these but the backing out.
/// </summary>
public sealed class WishDesk(RunHours hours, TimeProvider time)
{
    /// <summary>All wishes for a machine.</summary>
    public async Task<Wishes> OfAsync(FurloughDb db, Guid machine, CancellationToken stop)
    {
        var underWay = await (
            from r in db.Relocations
            join d in db.Dockets on r.Docket equals d.Id
            join run in db.Runs on r.Run equals run.Number
            join m in db.Machines on r.Machine equals m.Id
            where
                r.Machine == machine
                && RunControl.NotAtRest.Contains(r.State)
                && (r.BackOutWanted || d.Withdrawn || !d.ByItself)
            select new
            {
                Relocation = r,
                Docket = d.Id,
                d.ByItself,
                d.Withdrawn,
                Run = run,
                Held = m.HeldBy != null,
            }
        )
            .AsNoTracking()
            .ToListAsync(stop);
        // What was called back after it may have left: the machine undoes it, if it has it.
        var calledBack = await db
            .Dockets.Where(d =>
                d.Machine == machine
                && d.Withdrawn
                && d.HandedAt != null
                && db.Relocations.Any(r =>
                    r.Docket == d.Id && (r.State == RelocationState.Skipped || r.State == RelocationState.Refused)
                )
            )
            .Select(d => d.Id)
            .ToListAsync(stop);
        List<DocketWish> wishes = [.. calledBack.Select(d => new DocketWish(d, Wish.BackOut))];
        foreach (var u in underWay)
            if (
                (u.Withdrawn ? Wish.BackOut : await OfAsync(db, u.Relocation, u.ByItself, u.Held, u.Run, stop))
                    is var wish
                && wish != Wish.GoOn
            )
                wishes.Add(new DocketWish(u.Docket, wish));
        return new Wishes(wishes);
    }

    /// <summary>What is wished of one relocation.</summary>
    public async Task<Wish> OfAsync(
        FurloughDb db,
        RelocationRow row,
        bool byItself,
        bool held,
        RunRow run,
        CancellationToken stop
    )
    {
        if (row.BackOutWanted)
            return Wish.BackOut;
        if (byItself)
            return Wish.GoOn;
        if (run.State == RunState.Halted && row.State == RelocationState.Waiting)
            return Wish.BackOut;
        if (run.State == RunState.Paused)
            return Wish.Pause;
        if (held)
            return Wish.Hold;
        var times = await hours.OfAsync(db, run, stop);
        if (times is { Open: null, Attended: false })
            return Wish.GoOn;
        var planned = Column.PlannedOf(row);
        if (planned.Attended && row.BegunBy is null)
            return Wish.AwaitPerson;
        return
            times.Open?.Fits(time.GetUtcNow(), planned.Forecast?.Unbroken(planned.Method).Likely ?? TimeSpan.Zero)
            == false
            ? Wish.OutsideHours
            : Wish.GoOn;
    }
}
