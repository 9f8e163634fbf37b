using System.Collections.Concurrent;
using System.Text.Json;
using Furlough.Model;
using Furlough.Planning.DeskNotices;
using Furlough.Protocol;
using Furlough.Service.Relocations;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Agents;

/// <summary>Makes, signs and files dockets and permits.</summary>
public sealed class DocketDesk(SigningKey key, TimeProvider time)
{
    private static readonly TimeSpan Validity = TimeSpan.FromDays(14),
        PermitValidity = TimeSpan.FromMinutes(10),
        ClockSlack = TimeSpan.FromHours(1);

    /// <summary>The public key that agents check signatures with.</summary>
    public string PublicKey => key.Public;

    /// <summary>The docket that first carries out a planned relocation, or tries it again.</summary>
    public Task IssueRelocateAsync(FurloughDb db, RelocationRow row, bool byItself, CancellationToken stop)
    {
        var planned = Column.PlannedOf(row);
        return IssueAsync(
            db,
            row,
            byItself,
            (docket, earlier) =>
                docket with
                {
                    Work = DocketWork.Relocate,
                    Source = planned.Source,
                    Target = planned.Target,
                    SourceVolume = planned.SourceVolume,
                    TargetVolume = planned.TargetVolume,
                    OwnedFrom = planned.OwnedFrom,
                    Pointers =
                    [
                        .. planned.Pointers.Select(p => new PointerChange(p.Address, p.Value, null)
                        {
                            Within = p.Within,
                        }),
                    ],
                    Supersedes = earlier,
                    Adoption = planned.Adoption,
                    LeavesLink = planned.LeavesLink,
                },
            stop
        );
    }

    /// <summary>The docket that takes a holding back to its former place, with its former settings.</summary>
    public Task IssueReturnAsync(FurloughDb db, RelocationRow row, CancellationToken stop) =>
        IssueAsync(
            db,
            row,
            true,
            (docket, earlier) => Back(docket, row, earlier) with { Work = DocketWork.Return, OwnedFrom = 0 },
            stop
        );

    /// <summary>
    /// The docket that makes an original live again after its target was lost, with the former settings.
    /// </summary>
    public Task IssueFallBackAsync(FurloughDb db, RelocationRow row, OriginalFacts original, CancellationToken stop) =>
        IssueAsync(
            db,
            row,
            true,
            (docket, earlier) =>
                Back(docket, row, earlier) with
                {
                    Work = DocketWork.FallBack,
                    Originals = [original.Docket],
                },
            stop
        );

    /// <summary>From the target to the former place, and the settings likewise.</summary>
    private static Docket Back(Docket docket, RelocationRow row, IReadOnlyList<Guid> earlier)
    {
        var planned = Column.PlannedOf(row);
        return docket with
        {
            Source = planned.Target,
            Target = planned.Source,
            SourceVolume = planned.TargetVolume,
            TargetVolume = planned.SourceVolume,
            Pointers =
            [
                .. Pointers(row).Select(p => new PointerChange(p.Address, p.After, p.Before) { Within = p.Within }),
            ],
            Supersedes = earlier,
            Told = planned.Terms.Telling is { } telling
                ? DeskNotice.AtTheMachine([planned], telling, back: true)
                : null,
        };
    }

    /// <summary>The docket that removes one original.</summary>
    public async Task IssueDiscardAsync(
        FurloughDb db,
        RelocationRow row,
        OriginalFacts original,
        DiscardTerms terms,
        CancellationToken stop
    )
    {
        var planned = Column.PlannedOf(row);
        var aside = original.Source == planned.Source ? planned.SourceVolume : planned.TargetVolume;
        var begun = await db
            .Dockets.Where(d => d.Relocation == row.Number && d.Work == DocketWork.Discard)
            .Select(d => d.Id)
            .ToListAsync(stop);
        await IssueAsync(
            db,
            row,
            true,
            (docket, _) =>
                Staying(docket, row) with
                {
                    Work = DocketWork.Discard,
                    Terms = Terms.Plain with { GiveWay = true },
                    Supersedes = begun,
                    Source = original.Source,
                    SourceVolume = aside,
                    Originals = [original.Docket],
                    Discards = terms,
                },
            stop
        );
    }

    /// <summary>The docket that copies what stands again at the former place into the live one.</summary>
    public async Task IssueGatherAsync(FurloughDb db, RelocationRow row, RecreatedSource? found, CancellationToken stop)
    {
        var begun = await db
            .Dockets.Where(d => d.Relocation == row.Number && d.Work == DocketWork.Gather)
            .Select(d => d.Id)
            .ToListAsync(stop);
        await IssueAsync(
            db,
            row,
            true,
            (docket, _) =>
                Staying(docket, row) with
                {
                    Work = DocketWork.Gather,
                    Method = Method.Warm,
                    Supersedes = begun,
                    Files = found?.Files ?? 0,
                    DataBytes = found?.DataBytes ?? 0,
                },
            stop
        );
    }

    /// <summary>From the former place to the one where the holding lives and stays.</summary>
    private static Docket Staying(Docket docket, RelocationRow row)
    {
        var planned = Column.PlannedOf(row);
        return row.Live == Live.Source
            ? Back(docket, row, [])
            : docket with
            {
                Source = planned.Source,
                Target = planned.Target,
                SourceVolume = planned.SourceVolume,
                TargetVolume = planned.TargetVolume,
                Pointers =
                [
                    .. Pointers(row).Select(p => new PointerChange(p.Address, p.Before, p.After) { Within = p.Within }),
                ],
            };
    }

    /// <summary>
    /// Writes down that dockets leave for their machine; returns the numbers of those that nobody called back
    /// meanwhile.
    /// </summary>
    public Task<HashSet<long>> HandAsync(
        Store store,
        Guid machine,
        IReadOnlyList<long> numbers,
        CancellationToken stop
    ) =>
        store.WriteAsync(
            async db =>
            {
                var rows = await db
                    .Dockets.Where(d => d.Machine == machine && numbers.Contains(d.Number) && !d.Withdrawn)
                    .ToListAsync(stop);
                foreach (var row in rows)
                    row.HandedAt ??= time.GetUtcNow();
                return rows.Select(r => r.Number).ToHashSet();
            },
            stop
        );

    /// <summary>
    /// Signs a docket again that its machine has not fetched, so that it comes after everything that the machine had.
    /// </summary>
    internal async Task RenewAsync(FurloughDb db, DocketRow row, MachineRow machine, CancellationToken stop)
    {
        var relocation = (await db.Relocations.FindAsync([row.Relocation], stop))!;
        relocation.Supersession = Next(relocation, machine);
        var docket = Column.Read(row.Body, ModelJson.Default.Docket) with { Supersession = relocation.Supersession };
        (row.Number, row.Body, row.Signed) = (
            ++machine.LastDocket,
            Column.Write(docket, ModelJson.Default.Docket),
            Sign(docket)
        );
    }

    private static int Next(RelocationRow row, MachineRow machine) =>
        Math.Max(row.Supersession, machine.SupersessionFloor) + 1;

    private string Sign(Docket docket) =>
        Jws.Sign(key, MessageType.Docket, JsonSerializer.SerializeToUtf8Bytes(docket, ModelJson.Default.Docket));

    /// <summary>
    /// Calls a relocation's docket back; returns whether its machine may have it all the same, and undoes it when it is
    /// seen again.
    /// </summary>
    public static async Task<bool> WithdrawAsync(FurloughDb db, RelocationRow row, CancellationToken stop)
    {
        if (row.Docket is not { } id || await db.Dockets.FindAsync([id], stop) is not { } docket)
            return false;
        docket.Withdrawn = true;
        return docket.HandedAt is not null;
    }

    /// <summary>A signed permit.</summary>
    public string Permit(Guid docket, Guid machine) =>
        Jws.Sign(
            key,
            MessageType.Permit,
            JsonSerializer.SerializeToUtf8Bytes(
                new Permit(docket, machine, time.GetUtcNow() + PermitValidity),
                ModelJson.Default.Permit
            )
        );

    private static IReadOnlyList<PointerHistory> Pointers(RelocationRow row) =>
        row.Pointers is null ? [] : Column.Read(row.Pointers, ModelJson.Default.IReadOnlyListPointerHistory);

    private async Task IssueAsync(
        FurloughDb db,
        RelocationRow row,
        bool byItself,
        Func<Docket, IReadOnlyList<Guid>, Docket> fill,
        CancellationToken stop
    )
    {
        var planned = Column.PlannedOf(row);
        var machine = await db.Machines.FindAsync([row.Machine], stop)
            ?? throw RefusedException.Missing("such machine", "It may have been forgotten.");
        var earlier = await db
            .Dockets.Where(d => d.Relocation == row.Number && d.Work != DocketWork.Discard)
            .Select(d => d.Id)
            .ToListAsync(stop);
        var now = time.GetUtcNow();
        var empty = new Place("", "");
        var none = new VolumeIdentity("", "");
        var docket = fill(
            new Docket(
                Guid.CreateVersion7(now),
                row.Number,
                row.Machine,
                row.Supersession = Next(row, machine),
                now - ClockSlack,
                now + Validity,
                DocketWork.Relocate,
                planned.Method,
                planned.Holding,
                planned.AccountId,
                empty,
                empty,
                none,
                none,
                0,
                [],
                planned.Files,
                planned.DataBytes,
                [],
                [],
                planned.Terms
            )
            {
                Program = planned.Program,
                Told = planned.Told,
            },
            earlier
        );
        db.Dockets.Add(
            new DocketRow
            {
                Id = docket.Id,
                Machine = row.Machine,
                Number = ++machine.LastDocket,
                Relocation = row.Number,
                Work = docket.Work,
                Body = Column.Write(docket, ModelJson.Default.Docket),
                Signed = Sign(docket),
                IssuedAt = now,
                ByItself = byItself,
            }
        );
        row.Docket = docket.Id;
    }
}

/// <summary>Wakes agents that wait for dockets.</summary>
public sealed class DocketSignals
{
    private readonly ConcurrentDictionary<Guid, TaskCompletionSource> _waiting = new();

    /// <summary>Something waits for these machines.</summary>
    public void Raise(IEnumerable<Guid> machines)
    {
        foreach (var machine in machines)
            if (_waiting.TryRemove(machine, out var waiting))
                waiting.TrySetResult();
    }

    /// <summary>Take this before looking, await it after having found nothing: no signal is lost in between.</summary>
    public Task Next(Guid machine) =>
        _waiting
            .GetOrAdd(machine, _ => new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously))
            .Task;
}
