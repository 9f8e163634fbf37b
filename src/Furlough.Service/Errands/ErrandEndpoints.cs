using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Events;
using Furlough.Service.Machines;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>Errands: list, one, claim, finish, decline.</summary>
public static class ErrandEndpoints
{
    private const int MostCharacters = 1_000;

    /// <summary>Maps the calls.</summary>
    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/errands", (bool? all, Store store, TimeProvider time, CancellationToken stop) => store.ReadAsync(
                    async db =>
                    {
                        var machines = await db.Machines.ToDictionaryAsync(m => m.Id, stop);
                        var rows = await db.Errands.OrderBy(e => e.Due).ThenBy(e => e.Number).ToListAsync(stop);
                        return rows.Where(e => all == true || e.State.IsToDo())
                            .Select(e => View(e, machines[e.Machine], time))
                            .ToList();
                    },
                    stop
                ))
            .For(AccessLevel.Reader);
        api.MapGet("/errands/{number:long}", (long number, Store store, TimeProvider time, CancellationToken stop) =>
                store.ReadAsync(
                    async db =>
                    {
                        var row = await FindAsync(db, number, stop);
                        return View(row, (await db.Machines.FindAsync([row.Machine], stop))!, time);
                    },
                    stop
                )
            )
            .For(AccessLevel.Reader);
        api.MapPost(
                "/errands/{number:long}/claim",
                (
                    long number,
                    ClaimRequest request,
                    ErrandActions actions,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    actions.ClaimAsync(number, Plain(request.As, "who claims it") ?? context.Who(), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/errands/{number:long}/finish",
                (
                    long number,
                    ErrandRemark request,
                    ErrandActions actions,
                    HttpContext context,
                    CancellationToken stop
                ) => actions.FinishAsync(number, Plain(request.Text, "the remark"), context.Who(), stop)
            )
            .For(AccessLevel.Technician);
        api.MapPost(
                "/errands/{number:long}/decline",
                (
                    long number,
                    ErrandRemark request,
                    ErrandActions actions,
                    HttpContext context,
                    CancellationToken stop
                ) =>
                    actions.DeclineAsync(
                        number,
                        Plain(request.Text, "the reason")
                            ?? throw new ProblemException(
                                400,
                                "reason-missing",
                                "An errand is declined with a reason.",
                                $"`furlough errand decline {number} --reason \"...\"`."
                            ),
                        context.Who(),
                        stop
                    )
            )
            .For(AccessLevel.Technician);
    }

    internal static async Task<ErrandRow> FindAsync(FurloughDb db, long number, CancellationToken stop) =>
        await db.Errands.FirstOrDefaultAsync(e => e.Number == number, stop)
        ?? throw ProblemException.Missing($"errand {number}", "See `furlough errand list`.");

    internal static ErrandView View(ErrandRow row, MachineRow machine, TimeProvider time) =>
        new(
            row.Number,
            row.Kind,
            row.Cause,
            row.State,
            machine.Name,
            machine.Room,
            row.Account.Length == 0 ? null : row.Account,
            row.Run,
            row.Relocation,
            row.Text,
            row.RaisedAt,
            row.Due,
            row.State.IsToDo() && row.Due < time.GetUtcNow(),
            row.ClaimedBy,
            row.ClaimedAt,
            row.EndedBy,
            row.EndedAt,
            row.Remark
        );

    private static string? Plain(string? text, string what) =>
        string.IsNullOrWhiteSpace(text) ? null
        : text.Length > MostCharacters || text.Any(c => char.IsControl(c) && c != '\n')
            ? throw new ProblemException(
                400,
                "text-refused",
                $"For {what} at most {MostCharacters} printable characters are kept.",
                "Shorten it."
            )
        : text.Trim();
}

/// <summary>What people do with errands, and what follows for the relocations that wait.</summary>
public sealed class ErrandActions(
    Store store,
    Acting acting,
    DrillDesk drills,
    Freshness freshness,
    DocketSignals signals,
    LiveHub live,
    TimeProvider time
)
{
    /// <summary>Someone will do it.</summary>
    /// <param name="claimant">The person or the role that will.</param>
    public Task<ErrandView> ClaimAsync(long number, string claimant, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            ErrandState.Claimed,
            claimant,
            (_, row) =>
            {
                if (row.ClaimedBy is { } other && other != claimant)
                    throw ProblemException.Conflict(
                        "claimed-already",
                        $"Errand {number} was claimed by {other} at {row.ClaimedAt:yyyy-MM-dd HH:mm}Z.",
                        "Agree with them; anyone who does it can finish it."
                    );
                (row.ClaimedBy, row.ClaimedAt) = (claimant, time.GetUtcNow());
                return Task.CompletedTask;
            },
            stop
        );

    /// <summary>It is done: what waited for it begins, and what failed for want of it is tried again.</summary>
    public async Task<ErrandView> FinishAsync(long number, string? remark, string who, CancellationToken stop)
    {
        await RequireRestartAsync(number, stop);
        List<long> again = [];
        var view = await ActAsync(
            number,
            who,
            ErrandState.Finished,
            remark,
            async (db, row) =>
            {
                if (row.Cause == ErrandCause.Beforehand)
                    await ErrandDesk.BeginAsync(db, row, who, stop);
                if (row.Cause == ErrandCause.Failed)
                    again = (await ErrandDesk.ConcernedAsync(db, row, stop)).ConvertAll(r => r.Number);
            },
            stop
        );
        foreach (var failed in again)
            await acting.RetryAsync(failed, who, stop);
        return view;
    }

    /// <summary>
    /// Whether a machine was restarted it knows itself: with its survey the errand is finished by then. One that does
    /// not say so, or is away, is someone's word.
    /// </summary>
    private async Task RequireRestartAsync(long number, CancellationToken stop)
    {
        var errand = await store.ReadAsync(db => ErrandEndpoints.FindAsync(db, number, stop), stop);
        if (
            errand.Kind != ErrandKind.Restart
            || !errand.State.IsToDo()
            || !await freshness.SurveyAsync(errand.Machine, stop)
        )
            return;
        await store.ReadAsync(
            async db =>
            {
                var (row, machine) = (
                    await ErrandEndpoints.FindAsync(db, number, stop),
                    (await db.Machines.FindAsync([errand.Machine], stop))!
                );
                if (row.State.IsToDo() && Column.SurveyOf(machine)?.StartedAt is { } started)
                    throw ProblemException.Conflict(
                        "not-restarted",
                        $"{machine.Name} runs since {started:yyyy-MM-dd HH:mm}Z, and errand {number} was raised at {row.RaisedAt:yyyy-MM-dd HH:mm}Z: it has not been restarted.",
                        "Restart it; the errand is finished automatically then."
                    );
                return 0;
            },
            stop
        );
    }

    /// <summary>It will not be done: what waits for it is undone, so that nothing waits for ever.</summary>
    public Task<ErrandView> DeclineAsync(long number, string reason, string who, CancellationToken stop) =>
        ActAsync(
            number,
            who,
            ErrandState.Declined,
            reason,
            async (db, row) =>
            {
                if (row.Cause is not (ErrandCause.Beforehand or ErrandCause.InTheWay))
                    return;
                foreach (
                    var waiting in (await ErrandDesk.ConcernedAsync(db, row, stop)).Where(r =>
                        r.State is RelocationState.Queued or RelocationState.Waiting
                        && (r.BegunBy is null || row.Cause == ErrandCause.InTheWay)
                    )
                )
                {
                    waiting.BackOutWanted = true;
                    db.Record(
                        time.GetUtcNow(),
                        who,
                        "back out",
                        $"relocation {waiting.Number}",
                        waiting.State.Word(),
                        $"errand {row.Number} was declined"
                    );
                }
            },
            stop
        );

    private async Task<ErrandView> ActAsync(
        long number,
        string who,
        ErrandState next,
        string? words,
        Func<FurloughDb, ErrandRow, Task> act,
        CancellationToken stop
    )
    {
        Guid machine = default;
        var view = await store.WriteAsync(
            async db =>
            {
                var row = await ErrandEndpoints.FindAsync(db, number, stop);
                if (!row.State.IsToDo())
                    throw ProblemException.Conflict(
                        "errand-over",
                        $"Errand {number} is {row.State.Word()} already{(row.EndedBy is { } by ? $", by {by}" : "")}.",
                        "Nothing is left to do."
                    );
                await act(db, row);
                db.Record(
                    time.GetUtcNow(),
                    who,
                    "errand",
                    $"errand {number}",
                    row.State.Word(),
                    words is null ? next.Word() : $"{next.Word()}: {words}"
                );
                row.State = next;
                if (!next.IsToDo())
                    (row.EndedBy, row.EndedAt, row.Remark) = (who, time.GetUtcNow(), words);
                await db.SaveChangesAsync(stop);
                machine = row.Machine;
                var at = (await db.Machines.FindAsync([machine], stop))!;
                if (row.Cause == ErrandCause.Drill && Column.SurveyOf(at) is { } survey)
                    await drills.GoOnAsync(db, at, survey, stop);
                return ErrandEndpoints.View(row, at, time);
            },
            stop
        );
        signals.Raise([machine]);
        live.Say("errand", number);
        live.Say("machine", machine);
        return view;
    }
}
