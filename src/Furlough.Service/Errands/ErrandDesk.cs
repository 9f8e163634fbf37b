using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>
/// Raises errands from what is planned and from what machines report, and lets those lapse that have settled
/// themselves. Everything happens inside someone else's piece of work.
/// </summary>
public sealed class ErrandDesk(TimeProvider time)
{
    private static readonly ErrandState[] ToDo = [.. Enum.GetValues<ErrandState>().Where(s => s.IsToDo())];

    /// <summary>A relocation is queued: what its brief asks of people before it begins.</summary>
    public async Task RaiseBeforehandAsync(FurloughDb db, RelocationRow row, TimeSpan within, CancellationToken stop)
    {
        var planned = Column.PlannedOf(row);
        foreach (var kind in planned.Beforehand)
            await RaiseAsync(db, kind, ErrandCause.Beforehand, row, null, within, stop);
    }

    /// <summary>A machine has reported on a relocation.</summary>
    public async Task HeardAsync(
        FurloughDb db,
        RelocationRow row,
        DocketWork work,
        TimeSpan within,
        CancellationToken stop
    )
    {
        var failure = row.Failure is null ? null : Column.Read(row.Failure, ModelJson.Default.Failure);
        await LapseAsync(db, row, stop);
        if (row.State == RelocationState.Waiting && KindInTheWay(failure?.Code) is { } inTheWay)
            await RaiseAsync(db, inTheWay, ErrandCause.InTheWay, row, failure, within, stop);
        if (WantsVolume(row))
            await RaiseAsync(db, ErrandKind.PlugIn, ErrandCause.Failed, row, failure, within, stop);
        if (work == DocketWork.Relocate && row.State is RelocationState.Switched or RelocationState.Finished)
            foreach (var kind in Column.PlannedOf(row).Afterwards)
                await RaiseAsync(db, kind, ErrandCause.Afterwards, row, null, within, stop);
    }

    /// <summary>A machine says when it was started: what asked for a restart before that is done.</summary>
    /// <param name="started">By the service's clock.</param>
    /// <returns>Whether relocations that waited may begin.</returns>
    public async Task<bool> StartedAsync(
        FurloughDb db,
        MachineRow machine,
        DateTimeOffset started,
        CancellationToken stop
    )
    {
        var begins = false;
        foreach (
            var errand in await db
                .Errands.Where(e => e.Machine == machine.Id && e.Kind == ErrandKind.Restart && ToDo.Contains(e.State))
                .ToListAsync(stop)
        )
        {
            if (errand.RaisedAt >= started)
                continue;
            begins |= errand.Cause == ErrandCause.Beforehand;
            if (errand.Cause == ErrandCause.Beforehand)
                await BeginAsync(db, errand, machine.Name, stop);
            Finish(db, errand, machine, "it was restarted", $"restarted at {started:yyyy-MM-dd HH:mm}Z");
        }
        return begins;
    }

    /// <summary>
    /// A machine says who works on it: who signed in afresh, with the home that the account has now, has done what that
    /// was asked for.
    /// </summary>
    /// <param name="behind">How far the machine's clock is behind the service's.</param>
    public async Task SignedInAsync(
        FurloughDb db,
        MachineRow machine,
        IReadOnlyList<AccountFacts> accounts,
        TimeSpan behind,
        CancellationToken stop
    )
    {
        foreach (
            var errand in await db
                .Errands.Where(e => e.Machine == machine.Id && e.Kind == ErrandKind.SignIn && ToDo.Contains(e.State))
                .ToListAsync(stop)
        )
        {
            if (
                accounts.FirstOrDefault(a => a.Name == errand.Account)
                is not { Session: { Homes.Count: > 0 } session } account
            )
                continue;
            if (session.Since + behind <= errand.RaisedAt || session.Homes.Any(h => h != account.Home))
                continue;
            Finish(
                db,
                errand,
                machine,
                "it is signed in afresh",
                $"signed in at {session.Since + behind:yyyy-MM-dd HH:mm}Z, with the home `{account.Home}`"
            );
        }
    }

    /// <summary>A machine has seen itself that it is done.</summary>
    internal void Finish(FurloughDb db, ErrandRow errand, MachineRow machine, string why, string remark)
    {
        db.Record(
            time.GetUtcNow(),
            machine.Name,
            HistoryEvent.ErrandFinished,
            About.Errand(errand.Number),
            errand.State.Word(),
            ErrandState.Finished.Word(),
            why
        );
        errand.End(ErrandState.Finished, machine.Name, time.GetUtcNow(), remark);
    }

    /// <summary>The relocations that an errand is for, as they are now.</summary>
    internal static async Task<List<RelocationRow>> ConcernedAsync(
        FurloughDb db,
        ErrandRow errand,
        CancellationToken stop
    )
    {
        if (errand.Cause == ErrandCause.InTheWay)
            return await db.Relocations.Where(r => r.Number == errand.Relocation).ToListAsync(stop);
        var rows = await db
            .Relocations.Where(r =>
                r.Run == errand.Run
                && r.Machine == errand.Machine
                && (errand.Account == "" || r.Account == errand.Account)
            )
            .OrderBy(r => r.Sequence)
            .ToListAsync(stop);
        return errand.Cause == ErrandCause.Failed
            ? [.. rows.Where(WantsVolume)]
            :
            [
                .. rows.Where(r =>
                    (
                        errand.Cause == ErrandCause.Beforehand
                            ? Column.PlannedOf(r).Beforehand
                            : Column.PlannedOf(r).Afterwards
                    ).Contains(errand.Kind)
                ),
            ];
    }

    /// <summary>What a relocation waited for has been done: it begins, unless something else is still to do.</summary>
    internal static async Task BeginAsync(FurloughDb db, ErrandRow finished, string who, CancellationToken stop)
    {
        var done = await db
            .Errands.Where(e =>
                e.Run == finished.Run
                && e.Machine == finished.Machine
                && e.Cause == ErrandCause.Beforehand
                && e.State == ErrandState.Finished
            )
            .ToListAsync(stop);
        foreach (
            var row in (await ConcernedAsync(db, finished, stop)).Where(r => r.BegunBy is null && !r.State.IsAtRest())
        )
            if (
                Column
                    .PlannedOf(row)
                    .Beforehand.All(kind =>
                        done.Append(finished).Any(e => e.Kind == kind && e.Account == AccountOf(kind, row))
                    )
            )
                row.BegunBy = who;
    }

    private static ErrandKind? KindInTheWay(string? code) =>
        code switch
        {
            "files-in-use" => ErrandKind.CloseFiles,
            "program-running" => ErrandKind.ClosePrograms,
            "account-at-work" => ErrandKind.SignOut,
            _ => null,
        };

    private static bool WantsVolume(RelocationRow row) =>
        row.State == RelocationState.Failed
        && row.Failure is not null
        && FaultKinds.Find(Column.Read(row.Failure, ModelJson.Default.Failure).Code) == FaultKinds.VolumeAbsent;

    private static string AccountOf(ErrandKind kind, RelocationRow row) => kind.IsOfAccount() ? row.Account : "";

    private async Task RaiseAsync(
        FurloughDb db,
        ErrandKind kind,
        ErrandCause cause,
        RelocationRow row,
        Failure? why,
        TimeSpan within,
        CancellationToken stop
    )
    {
        var account = AccountOf(kind, row);
        if (await IsRaisedAsync(db, kind, cause, row, stop))
            return;
        var now = time.GetUtcNow();
        var errand = new ErrandRow
        {
            Kind = kind,
            Cause = cause,
            Machine = row.Machine,
            Account = account,
            Run = row.Run,
            Relocation = row.Number,
            Text = "",
            RaisedAt = now,
            Due = now + within,
        };
        var machine = (await db.Machines.FindAsync([row.Machine], stop))!;
        errand.Text = ErrandText.Of(kind, machine, account, await ConcernedAsync(db, errand, stop), why);
        await FileAsync(db, errand, machine, stop);
    }

    private static async Task<bool> IsRaisedAsync(
        FurloughDb db,
        ErrandKind kind,
        ErrandCause cause,
        RelocationRow row,
        CancellationToken stop
    )
    {
        var account = AccountOf(kind, row);
        // One for all relocations of the machine, or of the account, that need the same; what is in the way of one is
        // its own. What was in the way or missing may be so again.
        var (own, again) = (cause == ErrandCause.InTheWay, cause is ErrandCause.InTheWay or ErrandCause.Failed);
        return await db.Errands.AnyAsync(
            e =>
                e.Run == row.Run
                && e.Machine == row.Machine
                && e.Kind == kind
                && e.Cause == cause
                && e.Account == account
                && (!own || e.Relocation == row.Number)
                && (!again || ToDo.Contains(e.State)),
            stop
        );
    }

    /// <summary>Stores a new errand and writes it down.</summary>
    internal static async Task FileAsync(FurloughDb db, ErrandRow errand, MachineRow machine, CancellationToken stop)
    {
        db.Errands.Add(errand);
        // Its number is needed for the history.
        await db.SaveChangesAsync(stop);
        db.Record(
            errand.RaisedAt,
            "furlough",
            HistoryEvent.ErrandRaised,
            About.Errand(errand.Number),
            detail: $"{errand.Kind.Word()} on {machine.Name}"
        );
    }

    /// <summary>
    /// What was in a relocation's way is no longer when it goes on; what was wanted beforehand is no longer when
    /// nothing waits for it.
    /// </summary>
    private async Task LapseAsync(FurloughDb db, RelocationRow row, CancellationToken stop)
    {
        foreach (
            var errand in await db
                .Errands.Where(e =>
                    e.Run == row.Run
                    && e.Machine == row.Machine
                    && e.Cause != ErrandCause.Afterwards
                    && ToDo.Contains(e.State)
                )
                .ToListAsync(stop)
        )
        {
            var over = errand.Cause switch
            {
                ErrandCause.Beforehand => (await ConcernedAsync(db, errand, stop)).All(r =>
                    r.BegunBy is not null || r.State.IsAtRest()
                ),
                ErrandCause.Failed => (await ConcernedAsync(db, errand, stop)).Count == 0,
                _ => errand.Relocation == row.Number && row.State != RelocationState.Waiting,
            };
            if (!over)
                continue;
            db.Record(
                time.GetUtcNow(),
                "furlough",
                HistoryEvent.ErrandLapsed,
                About.Errand(errand.Number),
                errand.State.Word(),
                ErrandState.Lapsed.Word()
            );
            errand.End(ErrandState.Lapsed, null, time.GetUtcNow(), null);
        }
    }
}
