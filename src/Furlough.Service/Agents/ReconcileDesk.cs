using System.Text.Json;
using Furlough.Model;
using Furlough.Protocol;
using Furlough.Protocol.Api;
using Furlough.Service.History;
using Furlough.Service.LiveEvents;
using Furlough.Service.Machines;
using Furlough.Service.Plans;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>
/// A service that was put back from a backup knows less than its machines. They say how far they have counted, so that
/// nothing new is numbered like something that they know; and they hand in the dockets that this service signed and
/// does not know, which become relocations again.
/// </summary>
public sealed class ReconcileDesk(Store store, DocketDesk desk, TimeProvider time)
{
    /// <summary>Title of the run that holds what was taken over.</summary>
    public const string Title = "Taken over from machines";

    private const string Self = "furlough",
        Wave = "taken over";
    private const long MostCounted = 1L << 40;

    /// <summary>How long originals are kept whose brief is not known any more.</summary>
    private static readonly TimeSpan Keep = TimeSpan.FromDays(30);

    /// <summary>
    /// Numbers on where the machine is, where that is further than here; what it was not handed yet gets new numbers,
    /// or it would never fetch it.
    /// </summary>
    internal async Task CountOnAsync(FurloughDb db, MachineRow machine, SessionProof proof, CancellationToken stop)
    {
        RequirePossible(proof);
        var behind = proof.LastDocket > machine.LastDocket;
        // An agent of a former version hands in only what it reports about.
        if (behind && proof.LastBulletin is not null)
            machine.UnknownAfter ??= machine.LastDocket;
        machine.LastDocket = Math.Max(machine.LastDocket, proof.LastDocket);
        machine.SupersessionFloor = Math.Max(machine.SupersessionFloor, behind ? proof.Supersession : 0);
        var missed = await db
            .Dockets.Where(d =>
                d.Machine == machine.Id && d.Number <= proof.LastDocket && d.HandedAt == null && !d.Withdrawn
            )
            .OrderBy(d => d.Number)
            .ToListAsync(stop);
        foreach (var row in missed)
            await desk.RenewAsync(db, row, machine, stop);
        if (!behind && proof.LastAcknowledged <= machine.LastBulletin)
            return;
        machine.AwaitedBulletin = Math.Max(proof.LastBulletin ?? 0, proof.LastAcknowledged);
        db.Record(
            time.GetUtcNow(),
            machine.Name,
            HistoryEvent.KnowsMoreThanTheService,
            About.Machine(machine.Name),
            $"bulletin {machine.LastBulletin}",
            $"bulletin {proof.LastAcknowledged}"
        );
    }

    private static void RequirePossible(SessionProof proof)
    {
        if (
            proof.LastDocket is < 0 or > MostCounted
            || proof.LastBulletin is < 0 or > MostCounted
            || proof.LastAcknowledged is < 0 or > MostCounted
            || proof.Supersession is < 0 or > int.MaxValue / 2
        )
            throw new RefusedException(
                RefusalKind.Malformed,
                "out-of-bounds",
                "The machine says that it has more dockets or bulletins than there can be.",
                "Look at the agent's log."
            );
    }

    /// <summary>
    /// Takes over dockets of this service's own making that it does not know; what it did not sign, or knows, is passed
    /// over.
    /// </summary>
    /// <param name="all">The machine has no others that this service does not know.</param>
    public async Task TakeOverAsync(Guid machine, IReadOnlyList<string> signed, bool all, CancellationToken stop)
    {
        var ours = signed.OfType<string>().Select(m => (Message: m, Docket: Open(m))).ToList();
        await store.WriteAsync(
            async db =>
            {
                var owner = (await db.Machines.FindAsync([machine], stop))!;
                long? changed = null;
                foreach (var (message, opened) in ours)
                    if (
                        opened is { } docket
                        && await IsItsAsync(db, owner, docket, stop)
                        && await db.Dockets.FindAsync([docket.Id], stop) is null
                    )
                        changed = await TakeAsync(db, owner, docket, message, stop) ?? changed;
                if (changed is { } run)
                    db.Effects.Say("run", run);
                if (all && owner.HasToReport)
                {
                    owner.UnknownAfter = null;
                    db.Effects.Wake(machine);
                }
                return changed;
            },
            stop
        );
    }

    private Docket? Open(string message)
    {
        try
        {
            return JsonSerializer.Deserialize(
                Jws.Verify(desk.PublicKey, MessageType.Docket, message),
                ModelJson.Default.Docket
            );
        }
        catch (Exception malformed) when (malformed is SignatureException or JsonException)
        {
            return null;
        }
    }

    /// <summary>A machine that was enrolled after the backup has dockets under the number that it had then.</summary>
    private static async Task<bool> IsItsAsync(
        FurloughDb db,
        MachineRow machine,
        Docket docket,
        CancellationToken stop
    ) => docket.Machine == machine.Id || !await db.Machines.AnyAsync(m => m.Id == docket.Machine, stop);

    /// <summary>
    /// Files one docket with its relocation, which is created again where it is not known; returns its run, or null
    /// where nothing can be made of it.
    /// </summary>
    private async Task<long?> TakeAsync(
        FurloughDb db,
        MachineRow machine,
        Docket docket,
        string signed,
        CancellationToken stop
    )
    {
        var earlier =
            docket.Work == DocketWork.Discard ? [.. docket.Originals, .. docket.Supersedes] : docket.Supersedes;
        var known = await db
            .Dockets.Where(d => d.Machine == machine.Id && earlier.Contains(d.Id))
            .Select(d => (long?)d.Relocation)
            .FirstOrDefaultAsync(stop);
        var row = known is null
            ? await WithoutDocketAsync(db, machine, docket, stop) ?? await MakeAsync(db, machine, docket, stop)
            : await db.Relocations.FindAsync([known], stop);
        if (row is null)
            return null;
        if (docket.Supersession > row.Supersession || row.Docket is null)
            (row.Supersession, row.Docket) = (Math.Max(docket.Supersession, row.Supersession), docket.Id);
        db.Dockets.Add(RowOf(docket, machine, row.Number, signed));
        db.Record(
            time.GetUtcNow(),
            machine.Name,
            HistoryEvent.TakenOver,
            About.Relocation(row.Number),
            detail: $"{docket.Work.Word()} {docket.Holding}"
        );
        await db.SaveChangesAsync(stop);
        return row.Run;
    }

    private static DocketRow RowOf(Docket docket, MachineRow machine, long relocation, string signed) =>
        new()
        {
            Id = docket.Id,
            Machine = machine.Id,
            Number = ++machine.LastDocket,
            Relocation = relocation,
            Work = docket.Work,
            Body = Column.Write(docket, ModelJson.Default.Docket),
            Signed = signed,
            IssuedAt = docket.NotBefore,
            HandedAt = docket.NotBefore,
            ByItself = true,
            Correlation = docket.Correlation,
        };

    /// <summary>
    /// The relocation that is known and has not begun here: the machine was given its docket after the backup. Null where
    /// there is none.
    /// </summary>
    private async Task<RelocationRow?> WithoutDocketAsync(
        FurloughDb db,
        MachineRow machine,
        Docket docket,
        CancellationToken stop
    )
    {
        if (
            docket.Work != DocketWork.Relocate
            || await db.Relocations.FindAsync([docket.Relocation], stop) is not { } row
            || row.Machine != machine.Id
            || row.State is not (RelocationState.Planned or RelocationState.Queued)
        )
            return null;
        var planned = Column.PlannedOf(row);
        if (planned.Holding != docket.Holding || planned.Source != docket.Source || planned.Target != docket.Target)
            return null;
        if (row.Docket is not null)
        {
            var own = await db.Dockets.FindAsync([row.Docket], stop);
            if (own is { HandedAt: not null })
                return null;
            own?.Withdrawn = true;
        }
        else
            row.Ask(RelocationRequest.Turn, time.GetUtcNow());
        row.Docket = null;
        return row;
    }

    private async Task<RelocationRow?> MakeAsync(
        FurloughDb db,
        MachineRow machine,
        Docket docket,
        CancellationToken stop
    )
    {
        if (docket.Work != DocketWork.Relocate)
            return null;
        var planned = PlannedOf(docket, machine, await Surveys.OfAsync(db, machine.Id, stop));
        var row = new RelocationRow
        {
            // The number that people know, where it is free.
            Number = await db.Relocations.AnyAsync(r => r.Number == docket.Relocation, stop) ? 0 : docket.Relocation,
            Run = (await RunAsync(db, stop)).Number,
            Machine = machine.Id,
            Wave = Wave,
            Account = docket.Holding.Account,
            Holding = docket.Holding.Name,
            Planned = JsonSerializer.Serialize(planned, JsonSerializerOptions.Web),
            DataBytes = docket.DataBytes,
            State = RelocationState.Queued,
            StateBefore = RelocationState.Planned,
            Live = Live.Unknown,
            AsOf = time.GetUtcNow(),
        };
        db.Relocations.Add(row);
        await db.SaveChangesAsync(stop);
        return row;
    }

    /// <summary>What must have been planned for the machine to have such a docket.</summary>
    private static PlannedRelocation PlannedOf(Docket docket, MachineRow machine, Survey? survey)
    {
        string Shown(Place place) => survey?.Show(place) ?? place.Path;
        return new PlannedRelocation
        {
            Sequence = 0,
            Machine = machine.Id,
            MachineName = machine.Name,
            Room = machine.Room,
            Holding = docket.Holding,
            AccountId = docket.AccountId,
            Method = docket.Method,
            Source = docket.Source,
            Target = docket.Target,
            SourceShown = Shown(docket.Source),
            TargetShown = Shown(docket.Target),
            SourceVolume = docket.SourceVolume,
            TargetVolume = docket.TargetVolume,
            OwnedFrom = docket.OwnedFrom,
            Pointers = [.. docket.Pointers.Select(p => new PointerFacts(p.Address, p.Expected, docket.Source))],
            Files = docket.Files,
            DataBytes = docket.DataBytes,
            Wave = Wave,
            Blocked = [],
            Terms = docket.Terms,
            Adoption = docket.Adoption,
            LeavesLink = docket.LeavesLink,
            Keep = Keep,
            Program = docket.Program,
            Told = docket.Told,
        };
    }

    /// <summary>The run that holds them. It has ended: nothing more is begun in it.</summary>
    private async Task<RunRow> RunAsync(FurloughDb db, CancellationToken stop)
    {
        if (await db.Runs.FirstOrDefaultAsync(r => r.StartedBy == Self && r.Title == Title, stop) is { } known)
            return known;
        var now = time.GetUtcNow();
        var body = new PlanBody(Title, "", Keep, null, [Wave], [], [], [], [], []);
        var plan = PlanState.NewRow(body, digest: "", Self, now);
        db.Plans.Add(plan);
        await db.SaveChangesAsync(stop);
        var run = new RunRow
        {
            Plan = plan.Number,
            Title = Title,
            State = RunState.Ended,
            StartedBy = Self,
            StartedAt = now,
            EndedAt = now,
            Keep = Keep,
            Waves = Wave,
        };
        db.Runs.Add(run);
        await db.SaveChangesAsync(stop);
        return run;
    }
}
