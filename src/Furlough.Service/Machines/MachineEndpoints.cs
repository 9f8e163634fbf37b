using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Errands;
using Furlough.Service.Events;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>Machines: list, one, survey, invite.</summary>
public static class MachineEndpoints
{
    private const int LongestReason = 1_000;

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/machines", ListAsync).For(AccessLevel.Reader);
        api.MapGet("/rooms/{room}/shelves", (string room, MachineBoard board, CancellationToken stop) =>
                board.ShelvesAsync(room, stop)
            )
            .For(AccessLevel.Reader);
        api.MapGet("/machines/{name}", DetailAsync).For(AccessLevel.Reader);
        api.MapPost("/machines/{name}/survey", SurveyAsync).For(AccessLevel.Technician);
        api.MapPost("/machines/tag", TagAsync).For(AccessLevel.Technician);
        api.MapPost("/machines/hold", HoldAsync).For(AccessLevel.Technician);
        api.MapPost("/machines/forget", ForgetAsync).For(AccessLevel.Steward);
        api.MapPost("/invites", InviteEndpoints.MakeAsync).For(AccessLevel.Technician);
        api.MapGet("/invites", InviteEndpoints.ListAsync).For(AccessLevel.Technician);
        api.MapDelete("/invites/{id}", InviteEndpoints.RevokeAsync).For(AccessLevel.Technician);
    }

    private static async Task<IEnumerable<MachineSummary>> ListAsync(
        string? room,
        string? standing,
        MachineBoard board,
        CancellationToken stop
    )
    {
        var wanted = string.IsNullOrEmpty(standing)
            ? (Standing?)null
            : Words.Find<Standing>(standing)
                ?? throw new ProblemException(
                    400,
                    "standing-unknown",
                    $"`{standing}` is not a standing.",
                    $"Use one of {string.Join(", ", Words.All<Standing>())}."
                );
        return (await board.MachinesAsync(stop)).Where(m =>
            (string.IsNullOrEmpty(room) || m.Room == room) && (wanted is null || m.Standing == wanted)
        );
    }

    private static Task<MachineDetail> DetailAsync(
        string name,
        Store store,
        LiveHub live,
        TimeProvider time,
        CancellationToken stop
    ) =>
        store.ReadAsync(
            async db =>
            {
                var machine = await FindAsync(db, name, stop);
                var rows = await db
                    .Relocations.Where(r => r.Machine == machine.Id)
                    .OrderBy(r => r.Number)
                    .ToListAsync(stop);
                var originals = await db.Originals.Where(o => o.Machine == machine.Id).ToListAsync(stop);
                var survey = Column.SurveyOf(machine);
                var findings = Auditor.Audit(
                    [Fleet.ToFleet(machine, live)],
                    await Fleet.IntendedAsync(db, machine.Id, stop),
                    await Fleet.KeptAsync(db, machine.Id, stop),
                    await Fleet.AskedAsync(db, machine.Id, time.GetUtcNow(), stop),
                    time.GetUtcNow(),
                    await Fleet.AtWorkAsync(db, machine.Id, stop)
                );
                var last = rows.GroupBy(r => (r.Account, r.Holding))
                    .ToDictionary(
                        g => g.Key,
                        g =>
                            RelocationViews.Of(
                                g.Last(),
                                SeenMachine.Of(machine),
                                live,
                                originals.Exists(o => o.Relocation == g.Last().Number)
                            )
                    );
                var holdings = survey
                    ?.Holdings.Select(h => new HoldingView(
                        h.Name.Account,
                        h.Name.Kind,
                        h.Name.Name,
                        h.PathShown,
                        h.Present,
                        h.Files,
                        h.DataBytes,
                        h.HiddenBytes,
                        h.Pointers,
                        h.InUse,
                        last.GetValueOrDefault((h.Name.Account, h.Name.Name)),
                        h.Immovable,
                        h.IsMadeByFirstStart
                    ))
                    .ToList()
                    ?? [];
                var (summary, shelves) = Summaries.Of(machine, survey, rows, originals);
                var drills = (
                    await db
                        .Drills.Where(d => d.Machine == machine.Id)
                        .OrderByDescending(d => d.Number)
                        .ToListAsync(stop)
                )
                    .DistinctBy(d => d.Volume)
                    .Select(DrillDesk.View)
                    .ToList();
                return new MachineDetail(
                    Summaries.Now(summary, live),
                    shelves,
                    survey?.Accounts ?? [],
                    holdings,
                    findings,
                    survey?.Notes ?? [],
                    drills
                );
            },
            stop
        );

    private static async Task<MachineSummary> SurveyAsync(
        string name,
        Store store,
        LiveHub live,
        DocketSignals signals,
        CancellationToken stop
    )
    {
        var machine = await store.WriteAsync(
            async db =>
            {
                var row = await FindAsync(db, name, stop);
                row.AskForSurvey();
                return row;
            },
            stop
        );
        signals.Raise([machine.Id]);
        return Summaries.Now(Summaries.Of(machine, Column.SurveyOf(machine), [], []).Summary, live);
    }

    /// <summary>
    /// Nothing is begun on held machines; accounts that are locked out already can sign in again first.
    /// </summary>
    private static async Task<IResult> HoldAsync(
        HoldRequest request,
        Store store,
        LiveHub live,
        DocketSignals signals,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        if (
            request.Reason is { } reason
            && (string.IsNullOrWhiteSpace(reason) || reason.Length > LongestReason || reason.Any(char.IsControl))
        )
            throw new ProblemException(
                400,
                "reason-missing",
                $"A machine is held with a reason of at most {LongestReason} printable characters.",
                "Say what is going on there."
            );
        await ChangeAsync(
            request.Machines,
            store,
            live,
            (db, row) =>
            {
                db.Record(
                    time.GetUtcNow(),
                    context.Who(),
                    request.Reason is null ? "machine released" : "machine held",
                    row.Name,
                    row.HeldReason,
                    request.Reason
                );
                (row.HeldBy, row.HeldAt, row.HeldReason) = request.Reason is { } why
                    ? (context.Who(), time.GetUtcNow(), why.Trim())
                    : default((string?, DateTimeOffset?, string?));
            },
            signals,
            stop
        );
        return TypedResults.NoContent();
    }

    private static async Task<IResult> TagAsync(
        TagRequest request,
        Store store,
        LiveHub live,
        DocketSignals signals,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        if (
            request.Tag is { Length: 0 or > 40 }
            || request.Tag?.Any(c => char.IsControl(c) || c is '/' or '\\') == true
            || request.Tag is "." or ".."
        )
            throw new ProblemException(
                400,
                "tag-refused",
                "A tag has 1 to 40 characters, without slashes.",
                "Give a word such as `imaging`."
            );
        await ChangeAsync(
            request.Machines,
            store,
            live,
            (db, row) =>
            {
                db.Record(time.GetUtcNow(), context.Who(), "tag", row.Name, row.Tag, request.Tag);
                row.Tag = request.Tag;
            },
            signals,
            stop
        );
        return TypedResults.NoContent();
    }

    /// <summary>
    /// Removes a machine with everything that is known of it but the history. What its agent has and what stands on its
    /// disks is left alone.
    /// </summary>
    private static async Task<IResult> ForgetAsync(
        ForgetRequest request,
        Store store,
        LiveHub live,
        AgentSessions sessions,
        MachineBoard board,
        TimeProvider time,
        HttpContext context,
        CancellationToken stop
    )
    {
        var forgotten = await store.WriteAsync(
            async db =>
            {
                var row = await FindAsync(db, request.Machine, stop);
                var originals = await db.Originals.CountAsync(o => o.Machine == row.Id, stop);
                var busy = await db.Relocations.CountAsync(
                    r => r.Machine == row.Id && RunControl.NotAtRest.Contains(r.State),
                    stop
                );
                if (!request.WithOriginals && (originals > 0 || busy > 0))
                    throw ProblemException.Conflict(
                        "machine-needed",
                        $"{row.Name} keeps {Words.Count(originals, "original")} and has {Words.Count(busy, "relocation")} that {(busy == 1 ? "has" : "have")} not ended.",
                        $"Discard or return these first. If the machine is gone for good: `furlough machine forget {row.Name} --with-originals`."
                    );
                await db.Dockets.Where(d => d.Machine == row.Id).ExecuteDeleteAsync(stop);
                await db.Bulletins.Where(b => b.Machine == row.Id).ExecuteDeleteAsync(stop);
                await db.Originals.Where(o => o.Machine == row.Id).ExecuteDeleteAsync(stop);
                await db.Errands.Where(e => e.Machine == row.Id).ExecuteDeleteAsync(stop);
                await db.Drills.Where(d => d.Machine == row.Id).ExecuteDeleteAsync(stop);
                await db.Relocations.Where(r => r.Machine == row.Id).ExecuteDeleteAsync(stop);
                await db.SpaceBreaks.Where(b => b.Machine == row.Id).ExecuteDeleteAsync(stop);
                db.Machines.Remove(row);
                db.Record(
                    time.GetUtcNow(),
                    context.Who(),
                    "machine forgotten",
                    row.Name,
                    null,
                    $"{Words.Count(originals, "original")} stay on its disks"
                );
                return row.Id;
            },
            stop
        );
        sessions.Forget(forgotten);
        board.Touch(forgotten);
        live.Say("machine", forgotten);
        return TypedResults.NoContent();
    }

    /// <summary>Changes all of some machines, or none.</summary>
    private static async Task ChangeAsync(
        IReadOnlyList<string> names,
        Store store,
        LiveHub live,
        Action<FurloughDb, MachineRow> change,
        DocketSignals signals,
        CancellationToken stop
    )
    {
        var changed = await store.WriteAsync(
            async db =>
            {
                List<Guid> machines = [];
                foreach (var name in names)
                {
                    var row = await FindAsync(db, name, stop);
                    change(db, row);
                    machines.Add(row.Id);
                }
                return machines;
            },
            stop
        );
        signals.Raise(changed);
        foreach (var machine in changed)
            live.Say("machine", machine);
    }

    /// <summary>A machine by its name.</summary>
    public static async Task<MachineRow> FindAsync(FurloughDb db, string name, CancellationToken stop) =>
        await db.Machines.FirstOrDefaultAsync(m => m.Name == name, stop)
        ?? throw ProblemException.Missing($"machine {name}", "See `furlough machine list`.");
}
