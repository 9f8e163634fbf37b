using Furlough.Model;
using Furlough.Planning.Audits;
using Furlough.Protocol.Api;
using Furlough.Service.Access;
using Furlough.Service.Agents;
using Furlough.Service.Errands;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Machines;

/// <summary>Machines: looked at, surveyed, held, tagged, forgotten.</summary>
public sealed class MachineDesk(MachineBoard board, Store store, LiveHub live, TimeProvider time)
{
    private const int LongestReason = 1_000;

    /// <summary>Those of a room, of a standing, or of both.</summary>
    /// <exception cref="RefusedException"><c>standing-unknown</c></exception>
    public async Task<IEnumerable<MachineSummary>> ListAsync(string? room, string? standing, CancellationToken stop)
    {
        var wanted = string.IsNullOrEmpty(standing)
            ? (Standing?)null
            : Words.Find<Standing>(standing)
                ?? throw new RefusedException(
                    RefusalKind.Malformed,
                    "standing-unknown",
                    $"`{standing}` is not a standing.",
                    $"Use one of {string.Join(", ", Words.All<Standing>())}."
                );
        return (await board.MachinesAsync(stop)).Where(m =>
            (string.IsNullOrEmpty(room) || m.Room == room) && (wanted is null || m.Standing == wanted)
        );
    }

    /// <summary>All there is to know of one.</summary>
    public Task<MachineDetail> OneAsync(string name, CancellationToken stop) =>
        store.ReadAsync(
            async db =>
            {
                var machine = await Find.MachineAsync(db, name, stop);
                var rows = await db
                    .Relocations.Where(r => r.Machine == machine.Id)
                    .OrderBy(r => r.Number)
                    .ToListAsync(stop);
                var originals = await db.Originals.Where(o => o.Machine == machine.Id).ToListAsync(stop);
                var survey = await Surveys.OfAsync(db, machine.Id, stop);
                var findings = Auditor.Audit(
                    [Fleet.ToFleet(machine, survey, live)],
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

    /// <summary>Asks a machine for a survey that is begun from now on.</summary>
    public async Task<MachineSummary> SurveyAsync(string name, CancellationToken stop)
    {
        var (machine, survey) = await store.WriteAsync(
            async db =>
            {
                var row = await Find.MachineAsync(db, name, stop);
                row.AskForSurvey();
                db.Effects.Wake(row.Id);
                return (row, await Surveys.OfAsync(db, row.Id, stop));
            },
            stop
        );
        return Summaries.Now(Summaries.Of(machine, survey, [], []).Summary, live);
    }

    /// <summary>
    /// Nothing is begun on held machines; accounts that are locked out already can sign in again first.
    /// </summary>
    /// <exception cref="RefusedException"><c>reason-missing</c></exception>
    public async Task HoldAsync(HoldRequest request, string who, CancellationToken stop)
    {
        if (
            request.Reason is { } reason
            && (string.IsNullOrWhiteSpace(reason) || reason.Length > LongestReason || reason.Any(char.IsControl))
        )
            throw new RefusedException(
                RefusalKind.Malformed,
                "reason-missing",
                $"A machine is held with a reason of at most {LongestReason} printable characters.",
                "Say what is going on there."
            );
        await ChangeAsync(
            request.Machines,
            (db, row) =>
            {
                db.Record(
                    time.GetUtcNow(),
                    who,
                    request.Reason is null ? HistoryEvent.MachineReleased : HistoryEvent.MachineHeld,
                    About.Machine(row.Name),
                    row.HeldReason,
                    request.Reason
                );
                (row.HeldBy, row.HeldAt, row.HeldReason) = request.Reason is { } why
                    ? (who, time.GetUtcNow(), why.Trim())
                    : default((string?, DateTimeOffset?, string?));
            },
            stop
        );
    }

    /// <summary>Gives machines a tag, or takes it away.</summary>
    /// <exception cref="RefusedException"><c>tag-refused</c></exception>
    public async Task TagAsync(TagRequest request, string who, CancellationToken stop)
    {
        if (
            request.Tag is { Length: 0 or > 40 }
            || request.Tag?.Any(c => char.IsControl(c) || c is '/' or '\\') == true
            || request.Tag is "." or ".."
        )
            throw new RefusedException(
                RefusalKind.Malformed,
                "tag-refused",
                "A tag has 1 to 40 characters, without slashes.",
                "Give a word such as `imaging`."
            );
        await ChangeAsync(
            request.Machines,
            (db, row) =>
            {
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.MachineTagged,
                    About.Machine(row.Name),
                    row.Tag,
                    request.Tag
                );
                row.Tag = request.Tag;
            },
            stop
        );
    }

    /// <summary>
    /// Removes a machine with everything that is known of it but the history. What its agent has and what stands on its
    /// disks is left alone.
    /// </summary>
    /// <exception cref="RefusedException"><c>machine-needed</c></exception>
    public async Task ForgetAsync(ForgetRequest request, string who, CancellationToken stop)
    {
        await store.WriteAsync(
            async db =>
            {
                var row = await Find.MachineAsync(db, request.Machine, stop);
                var originals = await db.Originals.CountAsync(o => o.Machine == row.Id, stop);
                var busy = await db.Relocations.CountAsync(
                    r => r.Machine == row.Id && RunControl.NotAtRest.Contains(r.State),
                    stop
                );
                if (!request.WithOriginals)
                    RequireUnneeded(row.Name, originals, busy);
                await RemoveAllOfAsync(db, row.Id, stop);
                db.Machines.Remove(row);
                db.Record(
                    time.GetUtcNow(),
                    who,
                    HistoryEvent.MachineForgotten,
                    About.Machine(row.Name),
                    detail: $"{Words.Count(originals, "original")} stay on its disks"
                );
                db.Effects.Say("machine", row.Id);
                return row.Id;
            },
            stop
        );
    }

    private static void RequireUnneeded(string name, int originals, int busy)
    {
        if (originals > 0 || busy > 0)
            throw RefusedException.Conflict(
                "machine-needed",
                $"{name} keeps {Words.Count(originals, "original")} and has "
                    + $"{Words.Count(busy, "relocation")} that {(busy == 1 ? "has" : "have")} not ended.",
                "Discard or return these first. If the machine is gone for good: "
                    + $"`furlough machine forget {name} --with-originals`."
            );
    }

    private static async Task RemoveAllOfAsync(FurloughDb db, Guid machine, CancellationToken stop)
    {
        await db.Dockets.Where(d => d.Machine == machine).ExecuteDeleteAsync(stop);
        await db.Bulletins.Where(b => b.Machine == machine).ExecuteDeleteAsync(stop);
        await db.Originals.Where(o => o.Machine == machine).ExecuteDeleteAsync(stop);
        await db.Errands.Where(e => e.Machine == machine).ExecuteDeleteAsync(stop);
        await db.Drills.Where(d => d.Machine == machine).ExecuteDeleteAsync(stop);
        await db.Relocations.Where(r => r.Machine == machine).ExecuteDeleteAsync(stop);
        await db.SpaceBreaks.Where(b => b.Machine == machine).ExecuteDeleteAsync(stop);
        await db.Surveys.Where(s => s.Machine == machine).ExecuteDeleteAsync(stop);
        await AgentSessions.ForgetAsync(db, machine, stop);
    }

    /// <summary>Changes all of some machines, or none.</summary>
    private async Task ChangeAsync(
        IReadOnlyList<string> names,
        Action<FurloughDb, MachineRow> change,
        CancellationToken stop
    )
    {
        await store.WriteAsync(
            async db =>
            {
                foreach (var name in names)
                {
                    var row = await Find.MachineAsync(db, name, stop);
                    change(db, row);
                    db.Effects.Wake(row.Id);
                    db.Effects.Say("machine", row.Id);
                }
                return names.Count;
            },
            stop
        );
    }
}
