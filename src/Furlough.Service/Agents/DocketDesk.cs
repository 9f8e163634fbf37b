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
    public async Task IssueRelocateAsync(FurloughDb db, RelocationRow row, bool byItself, CancellationToken stop)
    {
        var planned = Column.PlannedOf(row);
        IReadOnlyList<PointerChange> pointers =
        [
            .. planned.Pointers.Select(p => new PointerChange(p.Address, p.Value, null) { Within = p.Within }),
        ];
        var earlier = await EarlierAsync(db, row, w => w != DocketWork.Discard, stop);
        await IssueAsync(
            db,
            row,
            byItself,
            DocketWork.Relocate,
            Way.Forward(planned, pointers) with
            {
                OwnedFrom = planned.OwnedFrom,
            },
            docket =>
                docket with
                {
                    Supersedes = earlier,
                    Adoption = planned.Adoption,
                    LeavesLink = planned.LeavesLink,
                },
            stop
        );
    }

    /// <summary>The docket that takes a holding back to its former place, with its former settings.</summary>
    public async Task IssueReturnAsync(FurloughDb db, RelocationRow row, CancellationToken stop)
    {
        var planned = Column.PlannedOf(row);
        var earlier = await EarlierAsync(db, row, w => w != DocketWork.Discard, stop);
        await IssueAsync(
            db,
            row,
            true,
            DocketWork.Return,
            Way.Back(planned, Pointers(row)),
            docket => docket with { Supersedes = earlier, Told = ToldOfReturn(planned) },
            stop
        );
    }

    /// <summary>
    /// The docket that makes an original live again after its target was lost, with the former settings.
    /// </summary>
    public async Task IssueFallBackAsync(
        FurloughDb db,
        RelocationRow row,
        OriginalFacts original,
        CancellationToken stop
    )
    {
        var planned = Column.PlannedOf(row);
        var earlier = await EarlierAsync(db, row, w => w != DocketWork.Discard, stop);
        await IssueAsync(
            db,
            row,
            true,
            DocketWork.FallBack,
            Way.Back(planned, Pointers(row)),
            docket => docket with { Supersedes = earlier, Told = ToldOfReturn(planned), Originals = [original.Docket] },
            stop
        );
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
        var aside = original.Source == planned.Source ? planned.From : planned.To;
        var begun = await EarlierAsync(db, row, w => w == DocketWork.Discard, stop);
        await IssueAsync(
            db,
            row,
            true,
            DocketWork.Discard,
            Way.ToLivePlace(row, Pointers(row)) with
            {
                From = aside with { Place = original.Source },
            },
            docket =>
                docket with
                {
                    Terms = Terms.Plain with { GiveWay = true },
                    Supersedes = begun,
                    Originals = [original.Docket],
                    Discards = terms,
                },
            stop
        );
    }

    /// <summary>The docket that copies what stands again at the former place into the live one.</summary>
    public async Task IssueGatherAsync(FurloughDb db, RelocationRow row, RecreatedSource? found, CancellationToken stop)
    {
        var begun = await EarlierAsync(db, row, w => w == DocketWork.Gather, stop);
        await IssueAsync(
            db,
            row,
            true,
            DocketWork.Gather,
            Way.ToLivePlace(row, Pointers(row)),
            docket =>
                docket with
                {
                    Method = Method.Warm,
                    Supersedes = begun,
                    Files = found?.Files ?? 0,
                    DataBytes = found?.DataBytes ?? 0,
                },
            stop
        );
    }

    private static ToldText? ToldOfReturn(PlannedRelocation planned) =>
        planned.Terms.Telling is { } telling ? DeskNotice.AtTheMachine([planned], telling, back: true) : null;

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

    private static Task<List<Guid>> EarlierAsync(
        FurloughDb db,
        RelocationRow row,
        Func<DocketWork, bool> which,
        CancellationToken stop
    )
    {
        var works = Enum.GetValues<DocketWork>().Where(which).ToList();
        return db
            .Dockets.Where(d => d.Relocation == row.Number && works.Contains(d.Work))
            .Select(d => d.Id)
            .ToListAsync(stop);
    }

    /// <param name="more">What this work needs besides.</param>
    private async Task IssueAsync(
        FurloughDb db,
        RelocationRow row,
        bool byItself,
        DocketWork work,
        Way way,
        Func<Docket, Docket> more,
        CancellationToken stop
    )
    {
        var planned = Column.PlannedOf(row);
        var machine = await db.Machines.FindAsync([row.Machine], stop)
            ?? throw RefusedException.Missing("such machine", "It may have been forgotten.");
        var now = time.GetUtcNow();
        row.Supersession = Next(row, machine);
        var docket = more(
            new Docket
            {
                Id = Guid.CreateVersion7(now),
                Relocation = row.Number,
                Machine = row.Machine,
                Supersession = row.Supersession,
                NotBefore = now - ClockSlack,
                NotAfter = now + Validity,
                Work = work,
                Method = planned.Method,
                Holding = planned.Holding,
                AccountId = planned.AccountId,
                Source = way.From.Place,
                Target = way.To.Place,
                SourceVolume = way.From.Volume,
                TargetVolume = way.To.Volume,
                OwnedFrom = way.OwnedFrom,
                Pointers = way.Pointers,
                Files = planned.Files,
                DataBytes = planned.DataBytes,
                Originals = [],
                Supersedes = [],
                Terms = planned.Terms,
                Program = planned.Program,
                Told = planned.Told,
                Correlation = db.Correlation,
            }
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
                Correlation = db.Correlation,
            }
        );
        row.Docket = docket.Id;
    }

    /// <summary>From where to where, and which settings follow.</summary>
    private sealed record Way(Site From, Site To, IReadOnlyList<PointerChange> Pointers)
    {
        /// <summary>From which part of the target's path on it belongs to the account.</summary>
        internal int? OwnedFrom { get; init; } = 0;

        internal static Way Forward(PlannedRelocation planned, IReadOnlyList<PointerChange> pointers) =>
            new(planned.From, planned.To, pointers);

        /// <summary>From the target to the former place, and the settings likewise.</summary>
        internal static Way Back(PlannedRelocation planned, IReadOnlyList<PointerHistory> history) =>
            new(
                planned.To,
                planned.From,
                [.. history.Select(p => new PointerChange(p.Address, p.After, p.Before) { Within = p.Within })]
            );

        /// <summary>From the former place to the one where the holding lives and stays.</summary>
        internal static Way ToLivePlace(RelocationRow row, IReadOnlyList<PointerHistory> history) =>
            row.Live == Live.Source
                ? Back(Column.PlannedOf(row), history)
                : Forward(
                    Column.PlannedOf(row),
                    [.. history.Select(p => new PointerChange(p.Address, p.Before, p.After) { Within = p.Within })]
                );
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

    /// <summary>Something may wait for any machine.</summary>
    public void RaiseAll() => Raise(_waiting.Keys);

    /// <summary>Take this before looking, await it after having found nothing: no signal is lost in between.</summary>
    public Task Next(Guid machine) =>
        _waiting
            .GetOrAdd(machine, _ => new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously))
            .Task;
}
