using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Agents;
using Furlough.Service.Events;
using Furlough.Service.Storage;
using Microsoft.EntityFrameworkCore;

namespace Furlough.Service.Relocations;

/// <summary>What people ask for on one relocation: each becomes a docket of its own.</summary>
public sealed class Acting(Store store, DocketDesk desk, DocketSignals signals, LiveHub live, TimeProvider time)
{
    /// <summary>Tries a relocation again.</summary>
    public Task<RelocationView> RetryAsync(long number, string who, CancellationToken stop) => ActAsync(number, who, "retry", RelocationState.Queued, async (db, row) =>
    {
        if (row.State is not (RelocationState.Failed or RelocationState.BackedOut or RelocationState.Refused)) throw Refused(row, "retried", "failed, backed-out or refused");
        if (Column.PlannedOf(row).Blocked is [var code, ..]) throw ProblemException.Conflict("blocked", $"Relocation {number} was refused because of the hazard {code}, and a retry would meet it again.", "Remove the hazard and make a new plan.");
        if (row.Live == Live.Target) throw ProblemException.Conflict("already-at-target", $"The data of relocation {number} lives at its target already.", $"`furlough relocation return {number}` takes it back.");
        await desk.IssueRelocateAsync(db, row, byItself: true, stop);
    }, stop);

    /// <summary>Takes a holding back to its former place.</summary>
    public Task<RelocationView> ReturnAsync(long number, string who, CancellationToken stop) => ActAsync(number, who, "return", RelocationState.Returning, async (db, row) =>
    {
        var live = row is { State: RelocationState.Failed, Live: Live.Target };
        if (row.State is not (RelocationState.Switched or RelocationState.Finished) && !live) throw Refused(row, "returned", "switched or finished");
        if (await db.Relocations.AnyAsync(r => r.Machine == row.Machine && r.Account == row.Account && r.Holding == row.Holding && r.Number > row.Number
            && (r.State == RelocationState.Switched || r.State == RelocationState.Finished), stop))
            throw ProblemException.Conflict("relocated-since", $"{row.Holding} of {row.Account} was relocated again after relocation {number}.", "Return the later relocation first.");
        await desk.IssueReturnAsync(db, row, stop);
    }, stop);

    /// <summary>Removes the originals of a relocation, oldest keeping time first.</summary>
    public Task<RelocationView> DiscardAsync(long number, string who, CancellationToken stop) => ActAsync(number, who, "discard", RelocationState.Discarding, async (db, row) =>
    {
        if (row.State is not (RelocationState.Switched or RelocationState.Returned)) throw Refused(row, "rid of its original", "switched or returned");
        var original = await db.Originals.Where(o => o.Relocation == number).OrderBy(o => o.KeptUntil).FirstOrDefaultAsync(stop)
            ?? throw ProblemException.Conflict("no-original", $"Relocation {number} keeps no original.", "There is nothing to discard.");
        await desk.IssueDiscardAsync(db, row, Column.Read(original.Body, ModelJson.Default.OriginalFacts), stop);
    }, stop);

    private async Task<RelocationView> ActAsync(long number, string who, string what, RelocationState next, Func<FurloughDb, RelocationRow, Task> act, CancellationToken stop)
    {
        Guid machine = default;
        var view = await store.WriteAsync(async db =>
        {
            var row = await RelocationEndpoints.FindAsync(db, number, stop);
            machine = row.Machine;
            await act(db, row);
            db.Record(time.GetUtcNow(), who, what, $"relocation {number}", row.State.Word(), next.Word());
            RelocationStates.Require(row.State, next);
            row.StateBefore = row.State;
            row.State = next;
            row.AsOf = time.GetUtcNow();
            row.Failure = null;
            await db.SaveChangesAsync(stop);
            return await RelocationEndpoints.ViewAsync(db, row, live, stop);
        }, stop);
        signals.Raise([machine]);
        live.Say("relocation", number);
        live.Say("machine", machine);
        return view;
    }

    private static ProblemException Refused(RelocationRow row, string what, string from) =>
        ProblemException.Conflict("state-refused", $"Relocation {row.Number} is {row.State.Word()} and cannot be {what}.", $"It must be {from}.");
}
