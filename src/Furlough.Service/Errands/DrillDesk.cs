using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Errands;

/// <summary>
/// Drills: before someone's home may live on a volume that can be detached, people try what happens without it. Each
/// step is an errand; what the machine itself can see (the volume gone and back, a restart, who signed in) finishes it
/// automatically.
/// </summary>
public sealed class DrillDesk(Store store, ErrandDesk errands, TimeProvider time)
{
    private const int RestartStep = 2,
        FallbackStep = 3,
        LastStep = 5;
    private static readonly TimeSpan Within = TimeSpan.FromDays(2);

    /// <summary>Begins a drill.</summary>
    /// <param name="root">Where the volume is mounted.</param>
    /// <param name="account">Who signs in at the end.</param>
    public async Task<DrillView> BeginAsync(
        string machine,
        string root,
        string account,
        string who,
        CancellationToken stop
    )
    {
        return await store.WriteAsync(
            async db =>
            {
                var view = await BeginAsync(db, await Find.MachineAsync(db, machine, stop), root, account, who, stop);
                db.Effects.Say("errand", view.Errand);
                return view;
            },
            stop
        );
    }

    private async Task<DrillView> BeginAsync(
        FurloughDb db,
        MachineRow machine,
        string root,
        string account,
        string who,
        CancellationToken stop
    )
    {
        if (await Surveys.OfAsync(db, machine.Id, stop) is not { } survey)
            throw RefusedException.Conflict(
                "never-surveyed",
                $"{machine.Name} has never been surveyed.",
                "See that its agent runs."
            );
        var volume = survey.Volumes.FirstOrDefault(v => v.Root == root)
            ?? throw RefusedException.Missing(
                $"volume `{root}` on {machine.Name}",
                $"See `furlough machine show {machine.Name}`."
            );
        if (volume.System)
            throw RefusedException.Conflict(
                "drill-refused",
                $"`{root}` is the system volume of {machine.Name}: without it nothing starts.",
                "A drill is for a volume that can be detached."
            );
        if (survey.Accounts.All(a => !a.Fallback))
            throw RefusedException.Conflict(
                "no-fallback-administrator",
                $"{machine.Name} has no fallback administrator: nobody could sign in without the volume.",
                "Name one to its agent with --fallback."
            );
        if (survey.Accounts.All(a => a.Name != account || a.Fallback))
            throw RefusedException.Missing(
                $"account {account} on {machine.Name}",
                "Name someone who works there, and not the fallback administrator."
            );
        if (await db.Drills.AnyAsync(d => d.Machine == machine.Id && d.EndedAt == null, stop))
            throw RefusedException.Conflict(
                "drill-under-way",
                $"A drill is under way on {machine.Name}.",
                "See `furlough errand list`: have it done, or decline its errand."
            );
        var drill = new DrillRow
        {
            Machine = machine.Id,
            Volume = volume.Identity.Key,
            Root = root,
            Account = account,
            AskedBy = who,
            AskedAt = time.GetUtcNow(),
        };
        db.Drills.Add(drill);
        await db.SaveChangesAsync(stop);
        db.Record(drill.AskedAt, who, HistoryEvent.DrillBegun, About.Machine(machine.Name), detail: root);
        await RaiseAsync(db, drill, machine, survey, stop);
        return View(drill);
    }

    /// <summary>A machine was surveyed, or an errand of a drill has ended: goes on as far as that allows.</summary>
    public async Task GoOnAsync(FurloughDb db, MachineRow machine, Survey survey, CancellationToken stop)
    {
        while (
            await db.Drills.FirstOrDefaultAsync(d => d.Machine == machine.Id && d.EndedAt == null, stop) is { } drill
        )
        {
            var errand = await db.Errands.FirstAsync(e => e.Number == drill.Errand, stop);
            var attached = survey.Volumes.FirstOrDefault(v => v.Identity.Key == drill.Volume);
            if (errand.State.IsToDo() && IsSeen(errand, drill, attached, survey))
                errands.Finish(
                    db,
                    errand,
                    machine,
                    "the machine sees it",
                    $"seen by the survey of {survey.TakenAt:yyyy-MM-dd HH:mm}Z"
                );
            switch (errand.State)
            {
                case ErrandState.Declined:
                    End(
                        db,
                        drill,
                        machine,
                        $"errand {errand.Number} ({errand.Kind.Word()}) was declined by {errand.EndedBy}: {errand.Remark}"
                    );
                    break;
                case ErrandState.Finished when drill.Steps is RestartStep or FallbackStep && attached is not null:
                    End(
                        db,
                        drill,
                        machine,
                        $"the volume was attached when errand {errand.Number} ({errand.Kind.Word()}) was done: nothing was tried without it"
                    );
                    break;
                case ErrandState.Finished when drill.Steps == LastStep:
                    End(db, drill, machine, null);
                    break;
                case ErrandState.Finished:
                    await RaiseAsync(db, drill, machine, survey, stop);
                    break;
                default:
                    return;
            }
            await db.SaveChangesAsync(stop);
        }
    }

    /// <summary>How people see a drill.</summary>
    internal static DrillView View(DrillRow drill) =>
        new(
            drill.Number,
            drill.Root,
            drill.Account,
            drill.AskedBy,
            drill.AskedAt,
            drill.EndedAt,
            drill.Failed,
            drill.Errand
        );

    /// <summary>
    /// Whether a survey shows what a step waits for. Clocks of machines may be wrong: by how long ago it was taken.
    /// </summary>
    private bool IsSeen(ErrandRow errand, DrillRow drill, VolumeFacts? attached, Survey survey)
    {
        var behind = survey.SentAt is { } sent ? time.GetUtcNow() - sent : TimeSpan.Zero;
        return survey.TakenAt + behind > errand.RaisedAt
            && errand.Kind switch
            {
                ErrandKind.Unplug => attached is null,
                ErrandKind.PlugIn => attached?.Root == drill.Root,
                _ => false,
            };
    }

    private void End(FurloughDb db, DrillRow drill, MachineRow machine, string? failed)
    {
        (drill.EndedAt, drill.Failed) = (time.GetUtcNow(), failed);
        var others = machine.Drilled.Split('\n', StringSplitOptions.RemoveEmptyEntries).Where(v => v != drill.Volume);
        machine.Drilled = string.Join('\n', failed is null ? others.Append(drill.Volume) : others);
        db.Record(
            time.GetUtcNow(),
            "furlough",
            failed is null ? HistoryEvent.DrillPassed : HistoryEvent.DrillFailed,
            About.Machine(machine.Name),
            detail: failed is null ? drill.Root : $"{drill.Root}: {failed}"
        );
    }

    private async Task RaiseAsync(
        FurloughDb db,
        DrillRow drill,
        MachineRow machine,
        Survey survey,
        CancellationToken stop
    )
    {
        if (survey.Accounts.FirstOrDefault(a => a.Fallback)?.Name is not { } fallback)
        {
            End(db, drill, machine, "the machine has no fallback administrator any more");
            return;
        }
        var place = $"{machine.Name} ({machine.Room})";
        var (kind, account, text) = drill.Steps switch
        {
            0 => (
                ErrandKind.Unplug,
                "",
                $"Have everybody sign out of {place} and detach the volume `{drill.Root}`; switch the machine off "
                    + "first if it cannot be detached while it runs. The machine says itself that the volume is gone."
            ),
            1 => (
                ErrandKind.Restart,
                "",
                $"Restart {place} without the volume `{drill.Root}`: it must come up on its own, and nobody may "
                    + "have to press a key. The machine says itself that it was restarted. If it hangs, attach the "
                    + "volume again and decline this errand with what it showed."
            ),
            2 => (
                ErrandKind.SignIn,
                fallback,
                $"Sign in as {fallback} on {place}, still without the volume `{drill.Root}`. The machine says "
                    + "itself who is signed in; where it cannot, look and finish this errand. If that does not work, decline."
            ),
            3 => (
                ErrandKind.PlugIn,
                "",
                $"Sign out, switch {place} off, attach the volume `{drill.Root}` and switch it on. The machine "
                    + "says itself that the volume is back at its place."
            ),
            _ => (
                ErrandKind.SignIn,
                drill.Account,
                $"Sign in as {drill.Account} on {place} and see that files on `{drill.Root}` open. The machine "
                    + "says itself who is signed in; where it cannot, look and finish this errand. If something is "
                    + "amiss, decline with what it is."
            ),
        };
        var now = time.GetUtcNow();
        var errand = new ErrandRow
        {
            Kind = kind,
            Cause = ErrandCause.Drill,
            Machine = machine.Id,
            Account = account,
            Text = text,
            RaisedAt = now,
            Due = now + Within,
        };
        await ErrandDesk.FileAsync(db, errand, machine, stop);
        (drill.Errand, drill.Steps) = (errand.Number, drill.Steps + 1);
    }
}
